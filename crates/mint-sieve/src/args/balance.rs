//! Arguments of `balance`.

use std::path::PathBuf;

use clap::Args;
use sieve_core::balance::DEFAULT_BETA;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TableFormat};

/// Report class imbalance, class weights and options to balance them
///
/// Counts images and independent images (duplicates and burst frames counted once); reports the
/// majority-class baseline, class weights, how many images a cap would drop, whether the held-out splits
/// are large enough to measure accuracy, and which metadata is associated with the classes.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve balance photos --batch 32
  mint-sieve balance photos-splits --limit difference=0.05
  mint-sieve balance photos --format csv > classes.csv")]
pub struct BalanceArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    #[command(flatten)]
    pub judging: JudgingArgs,
    /// Report the steps per epoch at this batch size
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub batch: Option<u64>,
    /// Beta of the effective-number-of-samples weights, from 0 to below 1
    #[arg(long, default_value_t = DEFAULT_BETA, value_parser = beta)]
    pub beta: f64,
    /// Write a chart of images per class and split to this new file
    #[arg(long, value_name = "FILE.svg|png")]
    pub chart: Option<PathBuf>,
    /// Write a chart of brightness, contrast, sharpness and size per class to this new file
    #[arg(long, value_name = "FILE.svg|png")]
    pub measures_chart: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List every class
    #[arg(long)]
    pub all: bool,
}

fn beta(text: &str) -> Result<f64, String> {
    let beta = text.parse().ok().filter(|beta| (0.0..1.0).contains(beta));
    beta.ok_or_else(|| "expected a number from 0 to below 1, for example 0.999".to_owned())
}
