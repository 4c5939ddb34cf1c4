//! What `report` takes.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TextFormat, seed};

/// Write one page with everything that is known, on which you decide what becomes of images
///
/// The page opens in any browser from the disk, without a network or a server: classes and splits, findings with their
/// images, what is there twice side by side, leaks, measures, a split, what policies do. On it you tick keep, drop or
/// relabel; it saves your choices as a plan for `apply`, with what `propose` would propose filled in.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve report photos --out report.html
  mint-sieve report photos-splits --out report.html --policy gentle --policy mine.toml
  mint-sieve apply plan.csv --to photos-repaired   after the page has saved plan.csv")]
pub struct ReportArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    #[command(flatten)]
    pub judging: JudgingArgs,
    /// Write the page to this new file
    #[arg(long, value_name = "FILE.html")]
    pub out: PathBuf,
    /// Show what this augmentation policy does, a file, gentle or harsh (repeatable)
    #[arg(long = "policy", value_name = "POLICY")]
    pub policies: Vec<PathBuf>,
    /// Show so many random images of each class
    #[arg(long, value_name = "N", default_value_t = 8, value_parser = clap::value_parser!(u32).range(0..=200))]
    pub per_class: u32,
    /// Seed of what is drawn
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Output format of the answer beside the page
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}
