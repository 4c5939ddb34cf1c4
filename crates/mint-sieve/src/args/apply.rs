//! What `apply` and `undo` take.

use std::path::PathBuf;

use clap::{ArgGroup, Args};
use sieve_core::collection::Root;

use super::collection::root;
use super::{CatalogArgs, ReadingArgs};
use crate::writing::Link;

/// Apply a reviewed plan
///
/// With `--to` the repaired collection is built beside the old one, which stays as it is. With
/// `--in-place` files are moved within the collection, and dropped ones into a folder beside it: nothing
/// is deleted, every step is written down first, and `undo` reverts all of it. A row that cannot be applied
/// (its file changed, its place is taken, two rows contradict each other, nobody has decided yet) is
/// reported by line before anything is touched. Exit status 1 means that files were skipped because their
/// names cannot be stored.
#[derive(Debug, Args)]
#[command(group = ArgGroup::new("how").required(true).args(["to", "in_place"]))]
#[command(after_help = "\
Examples:
  mint-sieve apply plan.csv --to photos-repaired
  mint-sieve apply plan.csv --to photos-repaired --link hard
  mint-sieve apply plan.csv --in-place --dry-run")]
pub struct ApplyArgs {
    /// The plan
    #[arg(value_name = "PLAN.csv")]
    pub plan: PathBuf,
    /// The collection [default: the one that the plan was made for]
    #[arg(value_name = "COLLECTION", value_parser = root())]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Build the repaired collection in this new folder
    #[arg(long, value_name = "FOLDER")]
    pub to: Option<PathBuf>,
    /// Change the collection itself; `undo` reverts it
    #[arg(long)]
    pub in_place: bool,
    /// How files come into the folder of --to
    #[arg(long, value_enum, default_value_t, conflicts_with = "in_place")]
    pub link: Link,
    /// Say what would happen, and change nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Leave files as they are that nobody has decided on
    #[arg(long)]
    pub skip_undecided: bool,
    /// Stop instead of skipping files whose names cannot be stored
    #[arg(long, conflicts_with = "in_place")]
    pub strict: bool,
    /// Do not look which findings are gone
    #[arg(long)]
    pub no_audit: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TextFormat,
    /// List everything
    #[arg(long)]
    pub all: bool,
}

/// Undo an `apply --in-place`
///
/// Moves every file back to where it was and compares it with what it was. What cannot be restored (a file
/// that somebody renamed, deleted or edited since) is listed, all else is restored, and the exit status
/// is 1. An `apply` or `undo` that was interrupted is undone as well. Several plans are undone in reverse
/// order.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve undo photos-set-aside-1
  mint-sieve undo photos-set-aside-1 --dry-run")]
pub struct UndoArgs {
    /// The folder that `apply` made beside the collection, or the journal in it
    #[arg(value_name = "JOURNAL")]
    pub journal: PathBuf,
    /// Undo what the intact lines of a damaged journal say
    #[arg(long)]
    pub salvage: bool,
    /// Say what would happen, and change nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TextFormat,
    /// List everything
    #[arg(long)]
    pub all: bool,
}
