//! Arguments of `report`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TextFormat, seed};

/// Write an HTML report in which you choose what to keep, drop or relabel
///
/// The page opens in any browser, without a server or a network. It shows classes and splits, findings with
/// their images, duplicates side by side, leaks, measures and policy previews. Every image has keep, drop
/// and relabel buttons, preset to what `propose` suggests; the page saves your choices as a plan for
/// `apply`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve report photos --out report.html
  mint-sieve report photos-splits --out report.html --policy gentle --policy mine.toml
  mint-sieve apply plan.csv --to photos-repaired   once the page has saved plan.csv")]
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
    /// Show the effect of this augmentation policy: a TOML file, gentle or harsh (repeatable)
    #[arg(long = "policy", value_name = "POLICY")]
    pub policies: Vec<PathBuf>,
    /// Show N random images of each class
    #[arg(long, value_name = "N", default_value_t = 8, value_parser = clap::value_parser!(u32).range(0..=200))]
    pub per_class: u32,
    /// Seed of the random sample
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Output format of the summary on standard output
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}
