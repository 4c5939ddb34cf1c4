//! Arguments of `leakage`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TableFormat};

/// Find leakage and drift between splits
///
/// Finds every image of one split that also appears in another: copied, mirrored, cropped, or as another
/// frame of the same burst. Also reports classes that are missing from a split or indexed differently, and
/// splits that differ more than chance explains, and proposes removals. Nothing is changed.
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
    /// Never remove images from these splits [default: remove from training first]
    #[arg(long, value_name = "SPLIT,...", value_delimiter = ',')]
    pub protect: Vec<String>,
    /// Write the images to remove, each with the image it matches, to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub removals: Option<PathBuf>,
    /// Write a chart of brightness, contrast, sharpness, size and time per split to this new file
    #[arg(long, value_name = "FILE.svg|png")]
    pub chart: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List every pair, class and test
    #[arg(long)]
    pub all: bool,
}
