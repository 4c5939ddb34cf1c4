//! Options for reading a collection, shared by all commands that read one.

use std::path::PathBuf;

use clap::Args;
use clap::builder::{OsStringValueParser, TypedValueParser};
use sieve_core::collection::{ClassDepth, Columns, Pattern, Root, SplitFolders};
use sieve_core::reading::READ_LIMITS;

use crate::object_storage::Access;
use crate::settings::{class_depth, columns_of_words, split_folders};

/// The collection, as the first words of a command.
#[derive(Debug, Args)]
pub struct CollectionArgs {
    /// Folder, archive (ZIP, tar, tar.gz, tar.zst), table (CSV, JSON Lines) or bucket (s3://BUCKET/PREFIX)
    /// that holds the images; or one for each split: train=FOLDER test=FOLDER
    #[arg(value_name = "COLLECTION", required = true, value_parser = root())]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// The collection, for a command whose first word is something else.
#[derive(Debug, Args)]
pub struct CollectionInArgs {
    /// Folder, archive or table to search; or one for each split
    #[arg(long = "in", value_name = "COLLECTION", required = true, num_args = 1..)]
    #[arg(value_parser = root())]
    pub roots: Vec<Root>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// How a collection is read.
#[derive(Clone, Debug, Args)]
pub struct ReadingArgs {
    /// Treat these folders as splits as well: NAME, or SPLIT=FOLDER; `none` turns split detection off
    #[arg(long, hide_short_help = true, display_order = 60, value_name = "NAME,...", help_heading = READING)]
    #[arg(value_parser = split_folders)]
    pub splits: Option<SplitFolders>,
    /// Depth of the class folders below the root (or split): a number, or `innermost`
    #[arg(long, hide_short_help = true, display_order = 61, value_name = "N", help_heading = READING)]
    #[arg(value_parser = class_depth, conflicts_with = "label_from")]
    pub class_depth: Option<ClassDepth>,
    /// Take the class from the name of each file, for example {class}_{*}.jpg
    #[arg(long, hide_short_help = true, display_order = 62, value_name = "PATTERN", help_heading = READING)]
    pub label_from: Option<Pattern>,
    /// Names of a table's columns, for example path=file,class=label
    #[arg(long, hide_short_help = true, display_order = 63, value_name = "COLUMN=NAME,...", help_heading = READING)]
    #[arg(value_parser = columns_of_words)]
    pub columns: Option<Columns>,
    /// Folder that a table's paths are relative to [default: the table's own]
    #[arg(long, hide_short_help = true, display_order = 64, value_name = "FOLDER", help_heading = READING)]
    pub images: Option<PathBuf>,
    /// Follow symbolic links; loops are detected
    #[arg(long, hide_short_help = true, display_order = 65, help_heading = READING)]
    pub follow_links: bool,
    /// Reject images with more pixels than this, in millions
    #[arg(long, hide_short_help = true, display_order = 66, value_name = "MPX", default_value_t = READ_LIMITS[0].default)]
    #[arg(help_heading = READING)]
    pub max_megapixels: u64,
    /// Reject images larger than this once decoded, in MiB
    #[arg(long, hide_short_help = true, display_order = 67, value_name = "MIB", default_value_t = READ_LIMITS[1].default)]
    #[arg(help_heading = READING)]
    pub max_decoded: u64,
    /// Reject files larger than this, in MiB
    #[arg(long, hide_short_help = true, display_order = 68, value_name = "MIB", default_value_t = READ_LIMITS[2].default)]
    #[arg(help_heading = READING)]
    pub max_file: u64,
    /// Reject JPEGs whose pixels x scans exceed this, in millions
    #[arg(long, hide_short_help = true, display_order = 68, value_name = "MPX", default_value_t = READ_LIMITS[3].default)]
    #[arg(help_heading = READING)]
    pub max_work: u64,
    /// Memory budget shared by all decoder threads, in MiB [default: a quarter of the machine's memory,
    /// at most 1024]
    #[arg(long, hide_short_help = true, display_order = 68, value_name = "MIB", help_heading = READING)]
    #[arg(value_parser = mebibytes)]
    pub max_memory: Option<u64>,
    /// Take the split of every file from this table (columns path and split) instead of its folder
    #[arg(long, hide_short_help = true, display_order = 69, value_name = "FILE.csv", help_heading = READING)]
    pub splits_from: Option<PathBuf>,
    /// Read settings from this file [default: mint-sieve.toml, found upward from the collection]
    #[arg(long, hide_short_help = true, display_order = 73, value_name = "FILE", help_heading = READING)]
    pub config: Option<PathBuf>,
    #[command(flatten)]
    pub buckets: BucketArgs,
}

/// How buckets are reached.
#[derive(Clone, Debug, Default, Args)]
pub struct BucketArgs {
    /// Address of an S3-compatible server, with its scheme and port [default: AWS, or AWS_ENDPOINT_URL]
    #[arg(long, hide_short_help = true, display_order = 74, value_name = "URL", help_heading = BUCKETS)]
    pub endpoint: Option<String>,
    /// Region to sign requests for [default: AWS_REGION, or us-east-1]
    #[arg(long, hide_short_help = true, display_order = 75, value_name = "NAME", help_heading = BUCKETS)]
    pub region: Option<String>,
    /// Read a public bucket without signing requests
    #[arg(long, hide_short_help = true, display_order = 76, help_heading = BUCKETS)]
    pub anonymous: bool,
    /// If there are no other credentials, use those that the machine's metadata address offers
    #[arg(long, hide_short_help = true, display_order = 77, help_heading = BUCKETS, conflicts_with = "anonymous")]
    pub instance_credentials: bool,
}

impl BucketArgs {
    /// How the stores are reached.
    pub fn access(&self) -> Access {
        Access {
            endpoint: self.endpoint.clone(),
            region: self.region.clone(),
            anonymous: self.anonymous,
            instance_credentials: self.instance_credentials,
        }
    }
}

/// Where measurements are cached.
#[derive(Clone, Debug, Args)]
pub struct CatalogArgs {
    /// Cache measurements in this file [default: one per collection, in the user's cache folder]
    #[arg(long, hide_short_help = true, display_order = 70, value_name = "FILE", help_heading = READING)]
    pub catalog: Option<PathBuf>,
    /// Do not cache measurements
    #[arg(long, hide_short_help = true, display_order = 71, conflicts_with_all = ["catalog", "recheck"])]
    #[arg(help_heading = READING)]
    pub no_catalog: bool,
    /// Read every file again, even if it seems unchanged
    #[arg(long, hide_short_help = true, display_order = 72, help_heading = READING)]
    pub recheck: bool,
}

/// The heading of these options in `--help`.
const READING: &str = "Reading the collection";
/// That of the options of object storage.
const BUCKETS: &str = "Object storage (s3://BUCKET/PREFIX)";

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
