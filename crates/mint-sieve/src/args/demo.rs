//! What `demo` takes.

use std::path::PathBuf;

use clap::Args;

use super::seed;

/// Paint a collection of leaves with known faults and run the whole job on it
///
/// Writes a made-up collection of about 400 images from a herb-drying shed, then audits it, splits
/// it and previews two augmentation policies, printing each command. What is wrong with the
/// collection is listed in planted.csv beside it.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve demo
  mint-sieve demo /tmp/shed
  mint-sieve demo shed-2 --pre-split               splits with leaks planted between them")]
pub struct DemoArgs {
    /// The new folder to write to
    #[arg(value_name = "FOLDER", default_value = "herb-shed-demo")]
    pub folder: PathBuf,
    /// Write the leaves as train/, validation/ and test/, with leaks between them
    #[arg(long)]
    pub pre_split: bool,
    /// Seed that the images are painted from
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
}
