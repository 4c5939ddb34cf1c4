//! What `nearest` takes.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionInArgs, TableFormat};

/// Show the pictures of a collection that are most like one
///
/// For the question why a model took a picture for something else: the most alike pictures with
/// their classes. Copies come first, whatever was done to them, then those that look alike.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve nearest odd-leaf.jpg --in photos
  mint-sieve nearest odd-leaf.jpg --in photos --count 20 --sheet alike.png
  mint-sieve nearest odd-leaf.jpg --in train=photos/train --format json")]
pub struct NearestArgs {
    /// The picture that is looked for
    #[arg(value_name = "IMAGE")]
    pub image: PathBuf,
    #[command(flatten)]
    pub collection: CollectionInArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Show so many pictures
    #[arg(long, value_name = "N", default_value_t = 12)]
    #[arg(value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub count: u32,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write the pictures to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
}
