//! Arguments of `shortcuts`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, JudgingArgs, TableFormat, VectorArgs};

/// Find classes that give themselves away by background, colour or metadata
///
/// Use it before training: a model takes the easiest way, and a class photographed on one tray is recognised
/// by the tray. For each class it measures how many images are recognised by their border alone, their
/// mean colour, and their size, at 1% false alarms.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve shortcuts photos
  mint-sieve shortcuts photos --sheet shortcuts.png
  mint-sieve shortcuts photos --limit background=0.6 --fail-on warning")]
pub struct ShortcutsArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    #[command(flatten)]
    pub judging: JudgingArgs,
    /// Write a contact sheet to this new file: borders, and the mean image of each class and of the rest
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    #[command(flatten)]
    pub vectors: VectorArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// List every class
    #[arg(long)]
    pub all: bool,
}
