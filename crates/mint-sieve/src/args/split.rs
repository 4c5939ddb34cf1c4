//! Arguments of `split`.

use std::fmt;
use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::collection::Pattern;
use sieve_core::splitting::{self, Amount};

use super::{CatalogArgs, CollectionArgs, Reach, seed};
use crate::writing::Link;

/// The heading of the options that keep images together, in `--help`.
const GROUPING: &str = "Grouping";
/// The heading of the options for an earlier split, in `--help`.
const EARLIER: &str = "Continuing an earlier split";

/// Build stratified train, validation and test splits
///
/// Divides each class by share or by count, after a seeded shuffle. Duplicates, burst frames and images
/// that a table groups stay in one split, so that no test image was seen in training. Unreadable files
/// and images filed under several classes are left out. Without --to or --out nothing is written.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve split photos                          what each split would get
  mint-sieve split photos --parts train=70%,validation=15%,test=15% --seed 7 --to photos-splits
  mint-sieve split photos --parts train=rest,test=20 --count-per class --out split.csv
  mint-sieve split photos --keep split.csv --lock test --out larger.csv
  mint-sieve split photos --folds 5 --out folds.csv")]
pub struct SplitArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// The splits and how much each gets: a share (15%), a number of images, or rest [default:
    /// train=70%,validation=15%,test=15%]
    #[arg(long, value_name = "NAME=AMOUNT,...")]
    pub parts: Option<String>,
    /// Whether image counts in --parts are totals or per class
    #[arg(long, value_enum, default_value_t)]
    pub count_per: Per,
    /// Build this many folds for cross-validation instead
    #[arg(long, value_name = "N", value_parser = folds, conflicts_with = "parts")]
    pub folds: Option<u64>,
    /// Split only a random subset: a share (10%) or a number of images
    #[arg(long, value_name = "AMOUNT", value_parser = amount)]
    pub subset: Option<Amount>,
    /// Also balance these within each class: format, size, colour, camera, capture-day, folder, or a column
    /// of the table
    #[arg(long, hide_short_help = true, value_name = "FACT,...", value_delimiter = ',')]
    pub strata: Vec<String>,
    /// Seed of the shuffle; the same seed gives the same splits
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Split even if a part would be empty or a class would be missing from the first part
    #[arg(long, hide_short_help = true)]
    pub force: bool,
    /// Write the images to this new folder as split/class/image, with split.csv and class-index.csv
    #[arg(long, value_name = "FOLDER")]
    pub to: Option<PathBuf>,
    /// Copy the images, or link them
    #[arg(long, value_enum, default_value_t, requires = "to")]
    pub link: Link,
    /// Stop if an image has a name that the folder cannot store, instead of leaving it out
    #[arg(long, requires = "to", hide_short_help = true)]
    pub strict: bool,
    /// Write the split table to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub out: Option<PathBuf>,
    /// Write a chart of each class's shares, requested and actual, to this new file
    #[arg(long, value_name = "FILE.svg|png", hide_short_help = true)]
    pub chart: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TableFormat,
    /// List every class
    #[arg(long)]
    pub all: bool,
    /// Whether duplicates and burst frames stay together
    #[arg(long, value_enum, default_value_t, display_order = 40, help_heading = GROUPING)]
    pub copies: Copies,
    /// Also group files whose named parts match (plant-{id}_*), that share a folder (`folder`), or that
    /// show one design (`variants`); repeatable
    #[arg(long, value_name = "PATTERN", value_parser = group_by)]
    #[arg(display_order = 41, help_heading = GROUPING)]
    pub group_by: Vec<GroupBy>,
    /// Carve the new parts out of this existing split; leave the others unchanged
    #[arg(long, value_name = "SPLIT", display_order = 52, help_heading = EARLIER)]
    #[arg(requires = "parts", conflicts_with_all = ["resplit", "keep", "folds", "subset"])]
    pub from: Option<String>,
    /// Split a collection again that is already split, and list images that leave a held-out split
    #[arg(long, hide_short_help = true, display_order = 53, help_heading = EARLIER)]
    pub resplit: bool,
    /// What to do with an image that is filed under several classes
    #[arg(long, hide_short_help = true, value_enum, default_value_t, display_order = 42, help_heading = GROUPING)]
    pub conflicts: Conflicts,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum, display_order = 43, help_heading = GROUPING)]
    pub reach: Option<Reach>,
    /// Keep every image of this split table where it was, and place only new ones
    #[arg(long, value_name = "SPLIT.csv", display_order = 50, help_heading = EARLIER)]
    #[arg(conflicts_with = "folds")]
    pub keep: Option<PathBuf>,
    /// Neither add images to these parts nor remove any
    #[arg(
        long,
        hide_short_help = true,
        value_name = "NAME,...",
        value_delimiter = ',',
        requires = "keep"
    )]
    #[arg(display_order = 51, help_heading = EARLIER)]
    pub lock: Vec<String>,
}

/// Whether image counts are totals or per class.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Per {
    /// Totals
    #[default]
    All,
    /// Per class
    Class,
}

/// Whether duplicates stay together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Copies {
    /// Keep them in one part
    #[default]
    Together,
    /// Place each on its own, and report what leaks
    Apart,
}

/// What happens to an image that is filed under several classes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Conflicts {
    /// Leave all of them out
    #[default]
    LeaveOut,
    /// Keep them, in one part
    Keep,
}

/// What else is kept together.
#[derive(Clone, Debug)]
pub enum GroupBy {
    /// Images of one folder.
    Folder,
    /// Variants of one design: the same drawing in other colours or with other details.
    Variants,
    /// Images for which the named parts of a pattern are the same.
    Pattern(Pattern),
}

impl fmt::Display for GroupBy {
    /// As it is typed.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            GroupBy::Folder => f.write_str("folder"),
            GroupBy::Variants => f.write_str("variants"),
            GroupBy::Pattern(pattern) => pattern.fmt(f),
        }
    }
}

impl From<Per> for splitting::Per {
    fn from(per: Per) -> Self {
        match per {
            Per::All => splitting::Per::All,
            Per::Class => splitting::Per::Class,
        }
    }
}

fn folds(text: &str) -> Result<u64, String> {
    match text.parse() {
        Ok(count @ 2..=100) => Ok(count),
        _ => Err("expected a whole number from 2 to 100".to_owned()),
    }
}

fn amount(text: &str) -> Result<Amount, String> {
    match text.parse() {
        Ok(Amount::Rest) | Err(()) => {
            Err("expected a share above 0% and up to 100% (10%), or a number of images".to_owned())
        }
        Ok(amount) => Ok(amount),
    }
}

fn group_by(text: &str) -> Result<GroupBy, String> {
    match text {
        "folder" => Ok(GroupBy::Folder),
        "variants" => Ok(GroupBy::Variants),
        text => Pattern::of_groups(text).map(GroupBy::Pattern),
    }
}
