//! What `nearest` takes.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionInArgs, TableFormat};

/// Find the images of a collection that are most similar to one
///
/// For the question why a model mistook an image for something else: the most similar images with
/// their classes. Copies come first, whatever was done to them, then images that look alike.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve nearest odd-leaf.jpg --in photos
  mint-sieve nearest odd-leaf.jpg --in photos --count 20 --sheet alike.png
  mint-sieve nearest odd-leaf.jpg --in train=photos/train --format json")]
pub struct NearestArgs {
    /// The image to compare with
    #[arg(value_name = "IMAGE")]
    pub image: PathBuf,
    #[command(flatten)]
    pub collection: CollectionInArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// How many images to show
    #[arg(long, value_name = "N", default_value_t = 12)]
    #[arg(value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub count: u32,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write a contact sheet to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
}
