//! Arguments of `audit`.

use clap::{Args, ValueEnum};

use super::{CatalogArgs, CollectionArgs, JudgingArgs};

/// Summarise a collection and report its problems
///
/// Reads every file, decodes every image, searches for duplicates, counts images per class and split, and
/// lists findings, most severe first: truncated files and files that are not images, label conflicts,
/// leaks between splits, similar class names, small classes, outliers.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve audit photos
  mint-sieve audit photos --fail-on error          exit status 1 if there is an error
  mint-sieve audit photos --only soft-focus,too-dark --all
  mint-sieve audit photos --format json > audit.json")]
pub struct AuditArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    #[command(flatten)]
    pub judging: JudgingArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: AuditFormat,
    /// List every class and every finding
    #[arg(long)]
    pub all: bool,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum AuditFormat {
    /// Text for people
    #[default]
    Text,
    /// JSON with every number, for programs
    Json,
    /// CSV, one line for each image of a finding
    Csv,
    /// Markdown for a wiki or a code host
    Markdown,
    /// SARIF 2.1.0 for code hosts
    Sarif,
}
