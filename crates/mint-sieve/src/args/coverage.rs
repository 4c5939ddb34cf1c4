//! Arguments of `coverage`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, Reach, TableFormat, VectorArgs, seed};

/// Report the kinds of image a class lacks, unseen test images and look-alike classes
///
/// Use it to decide what to collect next. It groups the images of each class by appearance, lists kinds that
/// most classes have and one lacks, held-out images unlike anything in training, and pairs of classes
/// that look alike. Whatever is listed as missing is beyond chance.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve coverage photos --sheet coverage.png
  mint-sieve coverage photos-splits
  mint-sieve coverage photos --format json > coverage.json")]
pub struct CoverageArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Seed of the grouping
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", value_name = "NAME=VALUE")]
    pub limits: Vec<String>,
    /// Write a contact sheet to this new file: the kinds of each class and what is missing
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
    /// List everything
    #[arg(long)]
    pub all: bool,
}
