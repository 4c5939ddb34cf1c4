//! Arguments of `review`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionInArgs, Reach, TableFormat, VectorArgs, seed};

/// Review a model's predictions and report what its errors say about the data
///
/// Reads a table of predictions from any training script and reports what the score is worth without
/// leaked images, which classes are confused, which labels are doubtful and what errors have in common.
/// Each wrong prediction is shown with the training images it resembles and a suggestion. Without a model,
/// `trial --out-of-fold` writes such a table.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve review predictions.csv --in photos-splits
  mint-sieve review predictions.csv --in photos-splits --out review.html
  mint-sieve review new.csv --in photos-splits --against old.csv
  mint-sieve review out-of-fold.csv --in photos --plan doubtful.csv")]
pub struct ReviewArgs {
    /// Table of predictions: CSV, JSON Lines or Parquet
    #[arg(value_name = "PREDICTIONS")]
    #[arg(
        long_help = "Table of predictions: CSV, JSON Lines or Parquet, with path or digest; predicted or class_index; and if \
                       known score, or one column of scores (0 to 1) per class"
    )]
    pub predictions: PathBuf,
    #[command(flatten)]
    pub collection: CollectionInArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Class index of the model [default: class-index.csv of the collection]
    #[arg(long, value_name = "FILE.csv")]
    pub class_index: Option<PathBuf>,
    /// Compare with these earlier predictions of the same images
    #[arg(long, value_name = "FILE")]
    pub against: Option<PathBuf>,
    /// Write a page to this new file on which wrong predictions and doubtful labels are decided
    #[arg(long, value_name = "FILE.html")]
    pub out: Option<PathBuf>,
    /// Write a contact sheet to this new file: each wrong prediction beside the images it resembles
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    /// Write a repair plan to this new file: one undecided row for each doubtful label
    #[arg(long, value_name = "FILE.csv")]
    pub plan: Option<PathBuf>,
    /// Write a chart of the confusion matrix to this new file
    #[arg(long, value_name = "FILE.svg|png")]
    pub chart: Option<PathBuf>,
    /// Write a chart of the calibration to this new file
    #[arg(long, value_name = "FILE.svg|png", hide_short_help = true)]
    pub calibration_chart: Option<PathBuf>,
    /// Number of wrong predictions and doubtful labels to list
    #[arg(long, value_name = "N", default_value_t = 20, value_parser = clap::value_parser!(u32).range(1..))]
    pub top: u32,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", value_name = "NAME=VALUE", hide_short_help = true)]
    pub limits: Vec<String>,
    /// Seed of the groups by appearance
    #[arg(long, default_value_t = 0, value_parser = seed, hide_short_help = true)]
    pub seed: u64,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    #[command(flatten)]
    pub vectors: VectorArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List everything
    #[arg(long)]
    pub all: bool,
}
