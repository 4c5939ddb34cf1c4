//! What `split` takes.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::splitting::Parts;

use super::{CatalogArgs, CollectionArgs, Reach, seed};
use crate::writing::Link;

/// Build stratified train, validation and test splits
///
/// Divides every class by the same shares, in an order that is drawn from the seed. Copies, frames of one
/// moment and what a table puts into one group stay in one split, so that none holds what another was
/// trained on; files that cannot be trained on are left out. Without --to and --out nothing is written
/// and the answer is what would be.
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
    /// What the shuffle is drawn from; the same seed gives the same splits
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// How far to look for copies, which stay together [default: wide up to 50,000 pictures, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Write the pictures to this new folder as split/class/picture, with split.csv
    #[arg(long, value_name = "FOLDER")]
    pub to: Option<PathBuf>,
    /// How the pictures come into the folder
    #[arg(long, value_enum, default_value_t, requires = "to")]
    pub link: Link,
    /// Write the split table to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub out: Option<PathBuf>,
    /// Form of the answer
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
    /// Every number, for programs
    Json,
    /// The split table itself
    Csv,
}
