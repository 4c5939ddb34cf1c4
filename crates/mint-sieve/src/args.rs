//! What was typed. Nothing here reads a file or does any work.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use sieve_core::finding::Severity;

/// Find out what is wrong with an image collection before a model is trained on it.
///
/// Audits a folder-per-class collection, builds stratified train, validation and test splits, and
/// shows what an augmentation policy does to the pictures. Your collection is only ever read.
#[derive(Debug, Parser)]
#[command(
    name = "mint-sieve",
    version,
    after_help = "\
Examples:
  mint-sieve demo                                  a tour on made-up pictures, start here
  mint-sieve audit photos                          what is in photos/ and what is wrong with it
  mint-sieve split photos --to photos-splits       train, validation and test folders
  mint-sieve preview photos --policy gentle --out preview.png"
)]
pub struct Cli {
    #[command(subcommand)]
    pub command: Command,
    /// Work on this many threads [default: one a core]
    #[arg(long, global = true, value_name = "N", value_parser = threads)]
    pub threads: Option<usize>,
    /// Tell on standard error what is decided about each file; twice for every detail
    #[arg(long, short, global = true, action = clap::ArgAction::Count)]
    pub verbose: u8,
}

fn threads(text: &str) -> Result<usize, String> {
    match text.parse() {
        Ok(count @ 1..=1024) => Ok(count),
        _ => Err("expected a whole number from 1 to 1024".to_owned()),
    }
}

#[derive(Debug, Subcommand)]
pub enum Command {
    Audit(AuditArgs),
    Split(SplitArgs),
    Preview(PreviewArgs),
    Demo(DemoArgs),
}

/// What every command that reads a collection takes.
#[derive(Debug, Args)]
pub struct CollectionArgs {
    /// The folder that holds one folder per class, or train/, validation/ and test/ holding those
    #[arg(value_name = "COLLECTION")]
    pub root: PathBuf,
    /// Follow symbolic links; loops are noticed
    #[arg(long)]
    pub follow_links: bool,
    /// Refuse pictures of more pixels, in millions
    #[arg(long, value_name = "MPX", default_value_t = 200)]
    pub max_megapixels: u64,
}

/// Say what a collection holds and what is wrong with it
///
/// Reads every file, decodes every picture, counts images per class and split, and lists findings,
/// worst first: files that are cut short or no pictures, copies, label conflicts, thin classes.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve audit photos
  mint-sieve audit photos --fail-on error          exit status 1 when there is an error
  mint-sieve audit photos --format json > audit.json")]
pub struct AuditArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: AuditFormat,
    /// List every class and every finding
    #[arg(long)]
    pub all: bool,
    /// Exit with status 1 when a finding is at least this severe
    #[arg(long, value_name = "SEVERITY")]
    pub fail_on: Option<Level>,
    /// Set a limit: thin-class (images) or imbalance (times); may be given more than once
    #[arg(long = "limit", value_name = "NAME=VALUE")]
    pub limits: Vec<String>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum AuditFormat {
    /// A screen for people
    #[default]
    Text,
    /// Every number, for programs
    Json,
}

/// A severity as it is typed.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub enum Level {
    Error,
    Warning,
    Note,
}

impl From<Level> for Severity {
    fn from(level: Level) -> Self {
        match level {
            Level::Error => Severity::Error,
            Level::Warning => Severity::Warning,
            Level::Note => Severity::Note,
        }
    }
}

#[derive(Debug, Args)]
pub struct SplitArgs {}
#[derive(Debug, Args)]
pub struct PreviewArgs {}
#[derive(Debug, Args)]
pub struct DemoArgs {}
