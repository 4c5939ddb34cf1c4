//! What `balance` takes.

use clap::Args;
use sieve_core::balance::DEFAULT_BETA;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TableFormat};

/// Say what the counts of the classes hide, and what balancing takes
///
/// Counts files and independent pictures, for which copies and frames of one moment count once; says
/// which score means nothing, what each class weighs, what a cap would throw away, whether the splits
/// that are held out can carry a verdict, and by what else beside their content classes can be told.
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
    /// Say how many steps an epoch takes with batches of this many pictures
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub batch: Option<u64>,
    /// Beta of the weights by effective number of samples, from 0 up to but not 1
    #[arg(long, default_value_t = DEFAULT_BETA, value_parser = beta)]
    pub beta: f64,
    /// Form of the answer
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
