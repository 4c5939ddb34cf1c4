//! Arguments of `apply` and `undo`.

use std::path::PathBuf;

use clap::{ArgGroup, Args};
use sieve_core::collection::Root;

use super::collection::root;
use super::{CatalogArgs, ReadingArgs};
use crate::writing::Link;

/// Apply a reviewed plan
///
/// With `--to`, the repaired collection is built in a new folder and the old one stays as it is. With
/// `--in-place`, files are moved within the collection, and dropped ones into a folder beside it: nothing
/// is deleted, every step is logged first, and `undo` reverts all of it. A row that cannot be applied (its
/// file changed, its target exists, two rows conflict, or it is undecided) is reported with its line before
/// anything is changed. Exit status 1 means that files were skipped because their names cannot be stored.
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
    /// The collection [default: the one the plan was made for]
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
    /// Copy files into the folder of --to, or link them
    #[arg(long, value_enum, default_value_t, conflicts_with = "in_place")]
    pub link: Link,
    /// Show what would happen; change nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Leave files with undecided rows unchanged
    #[arg(long)]
    pub skip_undecided: bool,
    /// Stop instead of skipping files whose names cannot be stored
    #[arg(long, conflicts_with = "in_place")]
    pub strict: bool,
    /// Skip the before/after audit
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
/// Moves every file back and verifies its contents. A file that cannot be restored (renamed, deleted or
/// edited since) is listed, everything else is restored, and the exit status is 1. An interrupted `apply`
/// or `undo` can be undone as well. Undo several plans in reverse order.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve undo photos-set-aside-1
  mint-sieve undo photos-set-aside-1 --dry-run")]
pub struct UndoArgs {
    /// Folder that `apply` created beside the collection, or the journal in it
    #[arg(value_name = "JOURNAL")]
    pub journal: PathBuf,
    /// Use the intact lines of a damaged journal
    #[arg(long)]
    pub salvage: bool,
    /// Show what would happen; change nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TextFormat,
    /// List everything
    #[arg(long)]
    pub all: bool,
}
