//! What `split` takes.

use std::fmt;
use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::collection::Pattern;
use sieve_core::splitting::{self, Amount};

use super::{CatalogArgs, CollectionArgs, Reach, seed};
use crate::writing::Link;

/// The heading of what stays together in `--help`.
const TOGETHER: &str = "What stays together";
/// The heading of going on with an earlier split in `--help`.
const EARLIER: &str = "Going on with an earlier split";

/// Build stratified train, validation and test splits
///
/// Divides every class by share or by count, in a random order drawn from the seed. Copies, frames of
/// one moment and images that a table groups stay in one split, so that nothing is tested on that was
/// trained on. Files that cannot be trained on, and images under several classes, are left out. Without
/// --to and --out nothing is written.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve split photos                          what each split would get
  mint-sieve split photos --parts train=70%,validation=15%,test=15% --seed 7 --to photos-splits
  mint-sieve split photos --parts train=rest,test=20 --per class --out split.csv
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
    /// What numbers of images are of: all images, or each class
    #[arg(long, value_enum, default_value_t)]
    pub per: Per,
    /// Build this many folds for cross-validation instead
    #[arg(long, value_name = "N", value_parser = folds, conflicts_with = "parts")]
    pub folds: Option<u64>,
    /// Split only this much of it: a share (10%) or a number of images
    #[arg(long, value_name = "AMOUNT", value_parser = amount)]
    pub subset: Option<Amount>,
    /// Balance these within each class too: format, size, colour, camera, capture-day, folder, or a
    /// column of the table
    #[arg(long, hide_short_help = true, value_name = "FACT,...", value_delimiter = ',')]
    pub strata: Vec<String>,
    /// Seed of the shuffle; the same seed gives the same splits
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Split even where a part stays empty or a class misses the first part
    #[arg(long, hide_short_help = true)]
    pub despite: bool,
    /// Write the images to this new folder as split/class/image, with split.csv and class-index.csv
    #[arg(long, value_name = "FOLDER")]
    pub to: Option<PathBuf>,
    /// How images get into the folder
    #[arg(long, value_enum, default_value_t, requires = "to")]
    pub link: Link,
    /// Stop instead of leaving out images whose names cannot be stored in the folder
    #[arg(long, requires = "to", hide_short_help = true)]
    pub strict: bool,
    /// Write the split table to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub out: Option<PathBuf>,
    /// Draw what each class got, against what was asked for, into this new file
    #[arg(long, value_name = "FILE.svg|png", hide_short_help = true)]
    pub chart: Option<PathBuf>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: SplitFormat,
    /// List every class
    #[arg(long)]
    pub all: bool,
    /// Whether copies and frames of one moment stay together
    #[arg(long, value_enum, default_value_t, display_order = 40, help_heading = TOGETHER)]
    pub copies: Copies,
    /// Also keep together what has the same named parts in its name (plant-{id}_*), lies in one folder
    /// (folder), or shows one design (variants); may be repeated
    #[arg(long, value_name = "PATTERN", value_parser = together)]
    #[arg(display_order = 41, help_heading = TOGETHER)]
    pub together: Vec<TogetherBy>,
    /// Take the parts out of this split of a collection that is split, and leave the others as they are
    #[arg(long, value_name = "SPLIT", display_order = 52, help_heading = EARLIER)]
    #[arg(requires = "parts", conflicts_with_all = ["anew", "keep", "folds", "subset"])]
    pub from: Option<String>,
    /// Split a collection anew that is split already; what moves out of a held-out split is named
    #[arg(long, hide_short_help = true, display_order = 53, help_heading = EARLIER)]
    pub anew: bool,
    /// What to do with one image under several classes
    #[arg(long, hide_short_help = true, value_enum, default_value_t, display_order = 42, help_heading = TOGETHER)]
    pub conflicts: Conflicts,
    /// How far to look for copies [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum, display_order = 43, help_heading = TOGETHER)]
    pub reach: Option<Reach>,
    /// Leave every image of this split table where it was, and place only new ones
    #[arg(long, value_name = "SPLIT.csv", display_order = 50, help_heading = EARLIER)]
    #[arg(conflicts_with = "folds")]
    pub keep: Option<PathBuf>,
    /// Neither add to these parts nor take from them
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

/// What numbers of images are of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Per {
    /// All images
    #[default]
    All,
    /// Each class
    Class,
}

/// Whether copies stay together.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Copies {
    /// In one part
    #[default]
    Together,
    /// Wherever they are drawn to: what leaks is reported
    Apart,
}

/// What becomes of one image under several classes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Conflicts {
    /// Leave all of them out
    #[default]
    LeaveOut,
    /// Keep them, in one part
    Keep,
}

/// What else stays together.
#[derive(Clone, Debug)]
pub enum TogetherBy {
    /// Images of one folder.
    Folder,
    /// Variants of one design: the same drawing in other colours or with other details.
    Variants,
    /// Images for which the named parts of a pattern are the same.
    Pattern(Pattern),
}

impl fmt::Display for TogetherBy {
    /// As it is typed.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            TogetherBy::Folder => f.write_str("folder"),
            TogetherBy::Variants => f.write_str("variants"),
            TogetherBy::Pattern(pattern) => pattern.fmt(f),
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

fn folds(text: &str) -> Result<u64, String> {
    match text.parse() {
        Ok(count @ 2..=100) => Ok(count),
        _ => Err("expected a whole number from 2 to 100".to_owned()),
    }
}

fn amount(text: &str) -> Result<Amount, String> {
    match text.parse() {
        Ok(Amount::Rest) | Err(()) => {
            Err("expected a share above 0 % and up to 100 % (10%), or a number of images"
                .to_owned())
        }
        Ok(amount) => Ok(amount),
    }
}

fn together(text: &str) -> Result<TogetherBy, String> {
    match text {
        "folder" => Ok(TogetherBy::Folder),
        "variants" => Ok(TogetherBy::Variants),
        text => Pattern::of_groups(text).map(TogetherBy::Pattern),
    }
}
