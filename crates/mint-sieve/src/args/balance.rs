//! What `balance` takes.

use std::path::PathBuf;

use clap::Args;
use sieve_core::balance::DEFAULT_BETA;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TableFormat};

/// Report class imbalance, class weights, and what it would take to balance
///
/// Counts files and independent images (copies and frames of one moment count once); reports the
/// score that means nothing, class weights, what a cap would throw away, whether the held-out splits
/// are large enough for a verdict, and what besides content is tied to the classes.
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
    /// Report how many steps an epoch takes with batches of this size
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub batch: Option<u64>,
    /// Beta of the weights by effective number of samples: 0 or more, below 1
    #[arg(long, default_value_t = DEFAULT_BETA, value_parser = beta)]
    pub beta: f64,
    /// Draw the classes, split by split, into this new file
    #[arg(long, value_name = "FILE.svg|png")]
    pub chart: Option<PathBuf>,
    /// Draw how brightness, contrast, sharpness and size are spread in each class
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
    beta.ok_or_else(|| "expected a number from 0 up to but not 1, for example 0.999".to_owned())
}
