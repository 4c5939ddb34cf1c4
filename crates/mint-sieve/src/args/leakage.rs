//! What `leakage` takes.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TableFormat};

/// Find what makes a score on the held-out splits untrue
///
/// Finds every image of one split that is in another one too, as a copy, mirrored, cropped, or as
/// another frame of one moment; classes that are missing from a split or indexed differently; and
/// splits that differ more than chance explains. Proposes what to remove. Nothing is changed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve leakage photos-splits
  mint-sieve leakage train=photos test=benchmark --protect test
  mint-sieve leakage photos --splits-from split.csv --format csv > pairs.csv")]
pub struct LeakageArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    #[command(flatten)]
    pub judging: JudgingArgs,
    /// Splits that must not change: remove from the others [default: remove from training first]
    #[arg(long, value_name = "SPLIT,...", value_delimiter = ',')]
    pub protect: Vec<String>,
    /// Write the images to remove to this new file, each with the image that it matches
    #[arg(long, value_name = "FILE.csv")]
    pub removals: Option<PathBuf>,
    /// Draw how brightness, contrast, sharpness, size and time are spread in each split
    #[arg(long, value_name = "FILE.svg|png")]
    pub chart: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List every pair, class and test
    #[arg(long)]
    pub all: bool,
}
