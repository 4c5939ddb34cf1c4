//! Arguments of `verify`.

use std::path::PathBuf;

use clap::Args;

use super::TableFormat;

/// Check that a split or a pack is unchanged
///
/// Reads every file again and checks that each image of the table exists and is unchanged, that the split
/// folders hold nothing else, that no group and no content is in two splits, and that every class is in
/// every split that it has enough groups for. Works on the folders that `split` wrote, on the collection
/// that was split, and on archives of either. Of a pack it compares every byte with SHA256SUMS and names the
/// files that differ, and the images in them. The exit status is 1 if there is a problem.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve verify photos-splits/split.csv
  mint-sieve verify split.csv photos
  mint-sieve verify pack")]
pub struct VerifyArgs {
    /// The split table, or the folder of a pack
    #[arg(value_name = "SPLIT.csv|PACK")]
    pub table: PathBuf,
    /// Folder or archive that holds the images [default: the folder of the table]
    #[arg(value_name = "FOLDER")]
    pub folder: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List every problem
    #[arg(long)]
    pub all: bool,
}
