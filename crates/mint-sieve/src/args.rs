//! What was typed. Nothing here reads a file or does any work.

use std::path::PathBuf;

use clap::{Args, Parser, Subcommand, ValueEnum};
use sieve_core::collection::{ClassDepth, Columns, Pattern, Root, SplitFolders, split_of_name};
use sieve_core::duplicates::{self, Kind};
use sieve_core::finding::Severity;
use sieve_core::nearest;
use sieve_core::splitting::Parts;

use crate::writing::Link;

/// Find out what is wrong with an image collection before a model is trained on it.
///
/// Audits a folder-per-class collection, builds stratified train, validation and test splits, and
/// shows what an augmentation policy does to the pictures. Your collection is only ever read.
#[derive(Debug, Parser)]
#[command(
    name = "mint-sieve",
    version,
    after_help = "\
Examples:
  mint-sieve demo                                  a tour on made-up pictures, start here
  mint-sieve audit photos                          what is in photos/ and what is wrong with it
  mint-sieve duplicates photos                     copies, crops, mirrored pictures, bursts
  mint-sieve split photos --to photos-splits       train, validation and test folders
  mint-sieve preview photos --policy gentle --out preview.png"
)]
pub struct Cli {
    #[command(subcommand)]
    pub command: Command,
    /// Work on this many threads [default: one a core]
    #[arg(long, global = true, display_order = 90, value_name = "N", value_parser = threads)]
    pub threads: Option<usize>,
    /// Tell on standard error what is decided about each file; twice for every detail
    #[arg(long, short, global = true, display_order = 91, action = clap::ArgAction::Count)]
    pub verbose: u8,
}

fn threads(text: &str) -> Result<usize, String> {
    match text.parse() {
        Ok(count @ 1..=1024) => Ok(count),
        _ => Err("expected a whole number from 1 to 1024".to_owned()),
    }
}

fn seed(text: &str) -> Result<u64, String> {
    text.parse().map_err(|_| "expected a whole number from 0 upward".to_owned())
}

#[derive(Debug, Subcommand)]
pub enum Command {
    Audit(AuditArgs),
    Duplicates(DuplicatesArgs),
    Nearest(NearestArgs),
    Split(SplitArgs),
    Preview(PreviewArgs),
    Demo(DemoArgs),
}

/// What every command that reads a collection takes.
#[derive(Debug, Args)]
pub struct CollectionArgs {
    /// A folder, archive (ZIP, tar, tar.gz, tar.zst) or table (CSV, JSON Lines); or several, each a
    /// split: train=FOLDER test=FOLDER
    #[arg(value_name = "COLLECTION", required = true, value_parser = root)]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// The same for a command whose first word is something else.
#[derive(Debug, Args)]
pub struct CollectionInArgs {
    /// The folder, archive or table to look in; or several, each a split
    #[arg(long = "in", value_name = "COLLECTION", required = true, num_args = 1..)]
    #[arg(value_parser = root)]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

impl From<&CollectionInArgs> for CollectionArgs {
    fn from(args: &CollectionInArgs) -> Self {
        CollectionArgs { roots: args.roots.clone(), reading: args.reading.clone() }
    }
}

/// How a collection is read.
#[derive(Clone, Debug, Args)]
pub struct ReadingArgs {
    /// These folders are splits too: NAME, or SPLIT=NAME; `none` when no folder is
    #[arg(long, display_order = 60, value_name = "NAME,...", help_heading = READING)]
    #[arg(value_parser = split_folders)]
    pub splits: Option<SplitFolders>,
    /// Classes are the folders this deep below the root or the split: a number, or `innermost`
    #[arg(long, display_order = 61, value_name = "N", help_heading = READING)]
    #[arg(value_parser = class_depth, conflicts_with = "label_from")]
    pub class_depth: Option<ClassDepth>,
    /// Take the class from the name of each file, for example {class}_{*}.jpg
    #[arg(long, display_order = 62, value_name = "PATTERN", help_heading = READING)]
    pub label_from: Option<Pattern>,
    /// What a table's columns are called, for example path=file,class=label
    #[arg(long, display_order = 63, value_name = "COLUMN=NAME,...", help_heading = READING)]
    #[arg(value_parser = columns)]
    pub columns: Option<Columns>,
    /// The folder that a table's paths begin at [default: where the table lies]
    #[arg(long, display_order = 64, value_name = "FOLDER", help_heading = READING)]
    pub pictures: Option<PathBuf>,
    /// Follow symbolic links; loops are noticed
    #[arg(long, display_order = 65, help_heading = READING)]
    pub follow_links: bool,
    /// Refuse pictures of more pixels, in millions
    #[arg(long, display_order = 66, value_name = "MPX", default_value_t = 200)]
    #[arg(help_heading = READING)]
    pub max_megapixels: u64,
    /// Refuse pictures of more bytes once decoded, in MiB
    #[arg(long, display_order = 67, value_name = "MIB", default_value_t = 1024)]
    #[arg(help_heading = READING)]
    pub max_decoded: u64,
    /// Refuse larger files, in MiB
    #[arg(long, display_order = 68, value_name = "MIB", default_value_t = 1024)]
    #[arg(help_heading = READING)]
    pub max_file: u64,
}

/// Where what was measured is kept.
#[derive(Clone, Debug, Args)]
pub struct CatalogArgs {
    /// Keep what is measured in this file [default: one a collection, in the user's cache folder]
    #[arg(long, display_order = 70, value_name = "FILE", help_heading = READING)]
    pub catalog: Option<PathBuf>,
    /// Keep nothing of what is measured
    #[arg(long, display_order = 71, conflicts_with_all = ["catalog", "recheck"])]
    #[arg(help_heading = READING)]
    pub no_catalog: bool,
    /// Read every file again, also those that seem unchanged
    #[arg(long, display_order = 72, help_heading = READING)]
    pub recheck: bool,
}

/// The heading of what concerns reading in `--help`.
const READING: &str = "Reading the collection";

fn root(text: &str) -> Result<Root, String> {
    let plain = Root { split: None, path: PathBuf::from(text) };
    match text.split_once('=') {
        Some((name, path)) if !plain.path.exists() && !name.is_empty() && !name.contains('/') => {
            let split = split_of_name(name).unwrap_or(name).to_owned();
            Ok(Root { split: Some(split), path: PathBuf::from(path) })
        }
        _ => Ok(plain),
    }
}

fn split_folders(text: &str) -> Result<SplitFolders, String> {
    if text == "none" {
        return Ok(SplitFolders::None);
    }
    let folder = |word: &str| match word.split_once('=').unwrap_or((word, word)) {
        ("", _) | (_, "") => Err("expected NAME or SPLIT=NAME, or none".to_owned()),
        (split, folder) => {
            let split = split_of_name(split).unwrap_or(split);
            Ok((split.to_owned(), folder.to_owned()))
        }
    };
    Ok(SplitFolders::ByName(text.split(',').map(folder).collect::<Result<_, _>>()?))
}

fn class_depth(text: &str) -> Result<ClassDepth, String> {
    match text.parse() {
        Ok(depth @ 1..=100) => Ok(ClassDepth::Folders(depth)),
        _ if text == "innermost" => Ok(ClassDepth::Innermost),
        _ => Err("expected a whole number from 1 to 100, or innermost".to_owned()),
    }
}

fn columns(text: &str) -> Result<Columns, String> {
    let mut columns = Columns::default();
    for word in text.split(',') {
        let (column, name) = word.split_once('=').unwrap_or((word, ""));
        let place = match column {
            "path" => &mut columns.path,
            "class" => &mut columns.class,
            "split" => &mut columns.split,
            "group" => &mut columns.group,
            _ => return Err("expected path=, class=, split= or group= and a name".to_owned()),
        };
        if name.is_empty() {
            return Err(format!("expected {column}=NAME"));
        }
        *place = name.to_owned();
    }
    Ok(columns)
}

/// Say what a collection holds and what is wrong with it
///
/// Reads every file, decodes every picture, counts images per class and split, and lists findings,
/// worst first: files that are cut short or no pictures, copies, label conflicts, thin classes.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve audit photos
  mint-sieve audit photos --fail-on error          exit status 1 when there is an error
  mint-sieve audit photos --format json > audit.json")]
pub struct AuditArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: AuditFormat,
    /// List every class and every finding
    #[arg(long)]
    pub all: bool,
    /// Exit with status 1 when a finding is at least this severe
    #[arg(long, value_name = "SEVERITY")]
    pub fail_on: Option<Level>,
    /// Set a limit: thin-class (images) or imbalance (times); may be given more than once
    #[arg(long = "limit", value_name = "NAME=VALUE")]
    pub limits: Vec<String>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum AuditFormat {
    /// A screen for people
    #[default]
    Text,
    /// Every number, for programs
    Json,
}

/// A severity as it is typed.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub enum Level {
    Error,
    Warning,
    Note,
}

impl From<Level> for Severity {
    fn from(level: Level) -> Self {
        match level {
            Level::Error => Severity::Error,
            Level::Warning => Severity::Warning,
            Level::Note => Severity::Note,
        }
    }
}

/// Find pictures that are there more than once
///
/// Groups files with the same bytes or pixels, pictures that were saved again, resized, recoloured,
/// marked, mirrored, turned, framed or cropped, and frames of one moment. Every pair was laid over
/// each other; the score is the chance that both show the same picture. Nothing is changed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve duplicates photos --sheet twice.png
  mint-sieve duplicates photos --within split --kinds same-bytes,same-pixels
  mint-sieve duplicates photos --against new-batch --pairs known.csv")]
pub struct DuplicatesArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Say which pictures of this other collection are in COLLECTION already
    #[arg(long, value_name = "OTHER", value_parser = root)]
    pub against: Option<Root>,
    /// Compare only pictures of one class, or of one split
    #[arg(long, value_enum, default_value_t, conflicts_with = "against")]
    pub within: Within,
    /// Show these kinds only
    #[arg(long, value_name = "KIND,...", value_delimiter = ',', value_parser = kind)]
    pub kinds: Vec<Kind>,
    /// How far to look [default: wide up to 50,000 pictures, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write the verified pairs to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub pairs: Option<PathBuf>,
    /// Write the groups as rows of pictures to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    /// List every group and every picture
    #[arg(long)]
    pub all: bool,
}

/// What is compared with what, as it is typed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Within {
    /// Everything with everything
    #[default]
    All,
    /// Pictures of one class
    Class,
    /// Pictures of one split
    Split,
}

impl Within {
    /// The word that is typed.
    pub fn name(self) -> &'static str {
        match self {
            Within::All => "all",
            Within::Class => "class",
            Within::Split => "split",
        }
    }
}

/// How far is looked, as it is typed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Reach {
    /// Same bytes and same pixels
    Same,
    /// Also saved again, resized, mirrored, turned by quarters
    Near,
    /// Also cropped, framed, tilted, strongly changed
    Wide,
}

impl From<Reach> for duplicates::Reach {
    fn from(reach: Reach) -> Self {
        match reach {
            Reach::Same => duplicates::Reach::Same,
            Reach::Near => duplicates::Reach::Near,
            Reach::Wide => duplicates::Reach::Wide,
        }
    }
}

fn kind(text: &str) -> Result<Kind, String> {
    Kind::ALL.into_iter().find(|kind| kind.name() == text).ok_or_else(|| {
        let names: Vec<&str> = Kind::ALL.iter().map(|kind| kind.name()).collect();
        let near = nearest::word(text, names.iter().copied());
        let hint = near.map_or(String::new(), |near| format!("; did you mean {near}?"));
        format!("expected one of {}{hint}", names.join(", "))
    })
}

/// Show the pictures of a collection that are most like one
///
/// For the question why a model took a picture for something else: the most alike pictures with
/// their classes. Copies come first, whatever was done to them, then those that look alike.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve nearest odd-leaf.jpg --in photos
  mint-sieve nearest odd-leaf.jpg --in photos --count 20 --sheet alike.png
  mint-sieve nearest odd-leaf.jpg --in train=photos/train --format json")]
pub struct NearestArgs {
    /// The picture that is looked for
    #[arg(value_name = "IMAGE")]
    pub image: PathBuf,
    #[command(flatten)]
    pub collection: CollectionInArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Show so many pictures
    #[arg(long, value_name = "N", default_value_t = 12)]
    #[arg(value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub count: u32,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write the pictures to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum TableFormat {
    /// A screen for people
    #[default]
    Text,
    /// Every number, for programs
    Json,
    /// A line a picture
    Csv,
}

/// Build stratified train, validation and test splits
///
/// Divides every class by the same shares, in an order that is drawn from the seed. Files with the
/// same bytes stay in one split; files that cannot be trained on are left out. Without --to and --out
/// nothing is written and the answer is what would be.
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

/// Show on one sheet what an augmentation policy does to real pictures
///
/// Each row is a picture: first as the model sees it without augmentation, then as many independent
/// draws of the policy as fit. Where the collection is split, training pictures are shown: only
/// those are augmented. Says how much of what was drawn lies outside of the pictures.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve preview photos --policy gentle --out gentle.png
  mint-sieve preview photos --policy my-policy.toml --per-class 3 --draws 6 --out mine.png
  mint-sieve preview photos --policy harsh --class sage --full-size --out sage.png")]
pub struct PreviewArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    /// The policy: a TOML file, or one of the examples: gentle, harsh
    #[arg(long, value_name = "FILE")]
    pub policy: PathBuf,
    /// Write the sheet to this new file
    #[arg(long, value_name = "FILE.png")]
    pub out: PathBuf,
    /// Show this many pictures of every class [default: a spread that fits 1280x800]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub per_class: Option<u32>,
    /// Draw the policy this many times on each picture [default: as many as fit 1280 pixels]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100))]
    pub draws: Option<u32>,
    /// Show this class only; may be given more than once
    #[arg(long = "class", value_name = "NAME")]
    pub classes: Vec<String>,
    /// Show every pixel that the model sees; the sheet grows
    #[arg(long)]
    pub full_size: bool,
    /// What pictures and draws are drawn from
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: PreviewFormat,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum PreviewFormat {
    /// A summary for people
    #[default]
    Text,
    /// Every tile: its place on the sheet, its picture, what was drawn
    Json,
}

/// Paint a collection of leaves with known faults and run the whole job on it
///
/// Writes a made-up collection of about 400 pictures from a herb-drying shed, then audits it, splits
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
    /// What the pictures are painted from
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
}
