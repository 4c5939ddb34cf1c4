//! Arguments of `outliers`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, Reach, TableFormat, VectorArgs};

/// Rank the images that are unlike their class
///
/// Use it before labelling or training to find stray images and wrong labels. It is a list of what to look
/// at first, not of errors: rare but correct images stand beside the wrong ones. Duplicates and burst
/// frames count once. With --plan, every listed image becomes a row for you to decide.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve outliers photos --sheet outliers.png
  mint-sieve outliers photos --class bay --top 20
  mint-sieve outliers photos --per-class 5 --plan doubtful.csv
  mint-sieve outliers photos --format csv > outliers.csv")]
pub struct OutliersArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// List only images of this class (repeatable)
    #[arg(long = "class", value_name = "NAME")]
    pub classes: Vec<String>,
    /// List at most N images of each class
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    pub per_class: Option<u32>,
    /// Number of images to list
    #[arg(long, value_name = "N", default_value_t = 60, value_parser = clap::value_parser!(u32).range(1..))]
    pub top: u32,
    /// Write a repair plan to this new file: one undecided row for each image
    #[arg(long, value_name = "FILE.csv")]
    pub plan: Option<PathBuf>,
    /// Write a contact sheet to this new file: each image beside three typical ones of its class
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    #[command(flatten)]
    pub vectors: VectorArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
}
