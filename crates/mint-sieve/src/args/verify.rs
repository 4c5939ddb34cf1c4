//! What `verify` takes.

use std::path::PathBuf;

use clap::Args;

use super::TableFormat;

/// Check that a split is still what its table says
///
/// Reads every file again: whether each image of the table is there and unchanged, whether the folders
/// of the splits hold nothing else, whether a group or a content is in two splits, and whether every
/// class is in every split that it has groups enough for. Works on the folders that `split` wrote, on
/// the collection that was split, and on an archive of either. Exits with status 1 when something is
/// wrong.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve verify photos-splits/split.csv
  mint-sieve verify split.csv photos")]
pub struct VerifyArgs {
    /// The split table
    #[arg(value_name = "SPLIT.csv")]
    pub table: PathBuf,
    /// Where the images are: a folder or an archive [default: the folder of the table]
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List everything that is wrong
    #[arg(long)]
    pub all: bool,
}
