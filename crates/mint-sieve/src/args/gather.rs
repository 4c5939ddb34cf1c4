//! What `gather` takes.

use std::path::PathBuf;

use clap::Args;

use super::propose::SplitFolders;
use super::{CatalogArgs, CollectionArgs};
use crate::writing::Link;

/// Copy images from any layout into one folder per class
///
/// Flat folders with labels in their names, archives, tables, nested or split folders become
/// class/image below a new folder. Of several images with one name in one class the first, in the order
/// of paths, keeps it; the others get -2, -3 and so on. Files that are no images, and images without a
/// class, stay behind and are counted. Images whose names cannot be stored are skipped and listed; the
/// exit status is then 1.
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
    /// The new folder
    #[arg(long, value_name = "FOLDER")]
    pub to: PathBuf,
    /// How images come into the folder
    #[arg(long, value_enum, default_value_t)]
    pub link: Link,
    /// What becomes of splits
    #[arg(long, value_enum, default_value_t)]
    pub split_folders: SplitFolders,
    /// Stop instead of skipping images whose names cannot be stored
    #[arg(long)]
    pub strict: bool,
    /// Say what would happen, and write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TextFormat,
}
