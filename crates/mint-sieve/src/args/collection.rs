//! Which collection a command reads, and how.

use std::path::PathBuf;

use clap::Args;
use clap::builder::{OsStringValueParser, TypedValueParser};
use sieve_core::collection::{ClassDepth, Columns, Pattern, Root, SplitFolders};
use sieve_core::reading::READ_LIMITS;

use crate::settings::split_folders;

/// What every command that reads a collection takes.
#[derive(Debug, Args)]
pub struct CollectionArgs {
    /// A folder, archive (ZIP, tar, tar.gz, tar.zst) or table (CSV, JSON Lines); or several, each a
    /// split: train=FOLDER test=FOLDER
    #[arg(value_name = "COLLECTION", required = true, value_parser = root())]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// The same for a command whose first word is something else.
#[derive(Debug, Args)]
pub struct CollectionInArgs {
    /// The folder, archive or table to look in; or several, each a split
    #[arg(long = "in", value_name = "COLLECTION", required = true, num_args = 1..)]
    #[arg(value_parser = root())]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// How a collection is read.
#[derive(Clone, Debug, Args)]
pub struct ReadingArgs {
    /// Folders that are splits too: NAME, or SPLIT=NAME; `none` if no folder is
    #[arg(long, hide_short_help = true, display_order = 60, value_name = "NAME,...", help_heading = READING)]
    #[arg(value_parser = split_folders)]
    pub splits: Option<SplitFolders>,
    /// How deep below the root or the split the class folders are: a number, or `innermost`
    #[arg(long, hide_short_help = true, display_order = 61, value_name = "N", help_heading = READING)]
    #[arg(value_parser = class_depth, conflicts_with = "label_from")]
    pub class_depth: Option<ClassDepth>,
    /// Take the class from the name of each file, for example {class}_{*}.jpg
    #[arg(long, hide_short_help = true, display_order = 62, value_name = "PATTERN", help_heading = READING)]
    pub label_from: Option<Pattern>,
    /// Names of a table's columns, for example path=file,class=label
    #[arg(long, hide_short_help = true, display_order = 63, value_name = "COLUMN=NAME,...", help_heading = READING)]
    #[arg(value_parser = columns)]
    pub columns: Option<Columns>,
    /// The folder that a table's paths are relative to [default: that of the table]
    #[arg(long, hide_short_help = true, display_order = 64, value_name = "FOLDER", help_heading = READING)]
    pub images: Option<PathBuf>,
    /// Follow symbolic links; loops are detected
    #[arg(long, hide_short_help = true, display_order = 65, help_heading = READING)]
    pub follow_links: bool,
    /// Refuse images with more pixels, in millions
    #[arg(long, hide_short_help = true, display_order = 66, value_name = "MPX", default_value_t = READ_LIMITS[0].default)]
    #[arg(help_heading = READING)]
    pub max_megapixels: u64,
    /// Refuse images with more bytes once decoded, in MiB
    #[arg(long, hide_short_help = true, display_order = 67, value_name = "MIB", default_value_t = READ_LIMITS[1].default)]
    #[arg(help_heading = READING)]
    pub max_decoded: u64,
    /// Refuse larger files, in MiB
    #[arg(long, hide_short_help = true, display_order = 68, value_name = "MIB", default_value_t = READ_LIMITS[2].default)]
    #[arg(help_heading = READING)]
    pub max_file: u64,
    /// Refuse images that take more decoding: pixels times scans, in millions
    #[arg(long, hide_short_help = true, display_order = 68, value_name = "MPX", default_value_t = READ_LIMITS[3].default)]
    #[arg(help_heading = READING)]
    pub max_work: u64,
    /// Memory for all images being read, in MiB; threads wait for it [default: a quarter of the
    /// machine's, at most 1024]
    #[arg(long, hide_short_help = true, display_order = 68, value_name = "MIB", help_heading = READING)]
    #[arg(value_parser = mebibytes)]
    pub max_memory: Option<u64>,
    /// Take the split of every file from this table (columns path and split) instead of its folder
    #[arg(long, hide_short_help = true, display_order = 69, value_name = "FILE.csv", help_heading = READING)]
    pub splits_from: Option<PathBuf>,
    /// Read settings from this file [default: mint-sieve.toml, found upward from the collection]
    #[arg(long, hide_short_help = true, display_order = 73, value_name = "FILE", help_heading = READING)]
    pub config: Option<PathBuf>,
}

/// Where what was measured is kept.
#[derive(Clone, Debug, Args)]
pub struct CatalogArgs {
    /// Keep measurements in this file [default: one per collection, in the user's cache folder]
    #[arg(long, hide_short_help = true, display_order = 70, value_name = "FILE", help_heading = READING)]
    pub catalog: Option<PathBuf>,
    /// Do not keep measurements
    #[arg(long, hide_short_help = true, display_order = 71, conflicts_with_all = ["catalog", "recheck"])]
    #[arg(help_heading = READING)]
    pub no_catalog: bool,
    /// Read every file again, even those that seem unchanged
    #[arg(long, hide_short_help = true, display_order = 72, help_heading = READING)]
    pub recheck: bool,
}

/// The heading of what concerns reading in `--help`.
const READING: &str = "Reading the collection";

/// Reads roots from words that need not be UTF-8.
pub(super) fn root() -> impl TypedValueParser<Value = Root> {
    OsStringValueParser::new().map(|word| Root::of_word(&word))
}

fn mebibytes(text: &str) -> Result<u64, String> {
    match text.parse() {
        Ok(number @ 1..) => Ok(number),
        _ => Err("expected a whole number of MiB from 1 upward".to_owned()),
    }
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
