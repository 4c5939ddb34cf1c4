//! What `split` takes.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::splitting::Parts;

use super::{CatalogArgs, CollectionArgs, Reach, seed};
use crate::writing::Link;

/// Build stratified train, validation and test splits
///
/// Divides every class by the same shares, in a random order drawn from the seed. Copies, frames of
/// one moment and images that a table groups stay in one split, so that nothing is tested on that was
/// trained on. Files that cannot be trained on are left out. Without --to and --out nothing is written.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve split photos                          what each split would get
  mint-sieve split photos --parts train=70,validation=15,test=15 --seed 7 --to photos-splits
  mint-sieve split photos --parts train=80,test=20 --out split.csv")]
pub struct SplitArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// The splits and their shares, in percent or as shares of 1
    #[arg(long, value_name = "NAME=SHARE,...", default_value = "train=70,validation=15,test=15")]
    pub parts: Parts,
    /// Seed of the shuffle; the same seed gives the same splits
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// How far to look for copies, which stay together [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Write the images to this new folder as split/class/image, with split.csv
    #[arg(long, value_name = "FOLDER")]
    pub to: Option<PathBuf>,
    /// How images get into the folder
    #[arg(long, value_enum, default_value_t, requires = "to")]
    pub link: Link,
    /// Write the split table to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub out: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: SplitFormat,
    /// List every class
    #[arg(long)]
    pub all: bool,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum SplitFormat {
    /// A table for people: what each class got
    #[default]
    Text,
    /// JSON with every number, for programs
    Json,
    /// The split table itself
    Csv,
}
