//! What `audit` takes.

use clap::{Args, ValueEnum};

use super::{CatalogArgs, CollectionArgs, JudgingArgs};

/// Say what a collection holds and what is wrong with it
///
/// Reads every file, decodes every picture, looks for copies, counts images per class and split, and
/// lists findings, worst first: files that are cut short or no pictures, label conflicts, leaks
/// between splits, class names that are one, thin classes, pictures unlike the others.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve audit photos
  mint-sieve audit photos --fail-on error          exit status 1 when there is an error
  mint-sieve audit photos --only soft-focus,too-dark --all
  mint-sieve audit photos --format json > audit.json")]
pub struct AuditArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    #[command(flatten)]
    pub judging: JudgingArgs,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: AuditFormat,
    /// List every class and every finding
    #[arg(long)]
    pub all: bool,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum AuditFormat {
    /// A screen for people
    #[default]
    Text,
    /// Every number, for programs
    Json,
    /// A line a picture of each finding
    Csv,
    /// A page for a wiki or a code host
    Markdown,
    /// Findings as code hosts read them (SARIF 2.1.0)
    Sarif,
}
