//! Arguments of `demo`.

use std::path::PathBuf;

use clap::Args;

use super::seed;

/// Paint a sample collection with known faults and run every step on it
///
/// Paints about 400 images of leaves in a herb-drying shed, then audits, repairs and splits them and
/// previews two augmentation policies, printing each command. The planted faults are listed in
/// planted.csv beside the collection.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve demo
  mint-sieve demo /tmp/shed
  mint-sieve demo shed-2 --pre-split               splits with planted leaks")]
pub struct DemoArgs {
    /// Folder to create
    #[arg(value_name = "FOLDER", default_value = "herb-shed-demo")]
    pub folder: PathBuf,
    /// Write the images as train/, validation/ and test/, with leaks between them
    #[arg(long)]
    pub pre_split: bool,
    /// Put the collection into a stand-in for object storage, on this machine only, and audit, split and
    /// pack it there
    #[arg(long, conflicts_with = "pre_split")]
    pub bucket: bool,
    /// Seed of the painted images
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
}
