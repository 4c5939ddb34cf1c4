//! Arguments of `gather`.

use std::path::PathBuf;

use clap::Args;

use super::propose::SplitFolders;
use super::{CatalogArgs, CollectionArgs};
use crate::writing::Link;

/// Copy images from any layout into one folder per class
///
/// Flat folders with labels in their file names, archives, tables, nested or split folders become
/// class/image in a new folder. Where file names clash, the first in path order keeps its name; the others
/// get a suffix (-2, -3, ...). Files that are not images, and images without a class, are left behind and
/// counted. Images whose names cannot be stored are skipped and listed; the exit status is then 1.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve gather photos.zip --to photos
  mint-sieve gather inbox --label-from '{class}_{*}.jpg' --to photos
  mint-sieve gather labels.csv --to photos --link hard
  mint-sieve gather photos-splits --split-folders merge --to photos")]
pub struct GatherArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Folder to create
    #[arg(long, value_name = "FOLDER")]
    pub to: PathBuf,
    /// Copy the images, or link them
    #[arg(long, value_enum, default_value_t)]
    pub link: Link,
    /// Keep split folders, or merge them
    #[arg(long, value_enum, default_value_t)]
    pub split_folders: SplitFolders,
    /// Stop instead of skipping images whose names cannot be stored
    #[arg(long)]
    pub strict: bool,
    /// Show what would happen; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TextFormat,
}
