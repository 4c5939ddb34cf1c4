//! Arguments of `nearest`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionInArgs, TableFormat, VectorArgs};

/// Find the images most similar to a given image
///
/// Use it to find out why a model mistook an image for something else: it lists the most similar images
/// with their classes. Duplicates come first, however they were altered, then images that look alike.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve nearest odd-leaf.jpg --in photos
  mint-sieve nearest odd-leaf.jpg --in photos --count 20 --sheet similar.png
  mint-sieve nearest odd-leaf.jpg --in train=photos/train --format json")]
pub struct NearestArgs {
    /// The image to compare with
    #[arg(value_name = "IMAGE")]
    pub image: PathBuf,
    #[command(flatten)]
    pub collection: CollectionInArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Number of images to list
    #[arg(long, value_name = "N", default_value_t = 12)]
    #[arg(value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub count: u32,
    #[command(flatten)]
    pub vectors: VectorArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write a contact sheet to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
}
