//! Arguments of `catalog`.

use std::path::PathBuf;

use clap::{Args, Subcommand};

use super::collection::BucketArgs;
use super::split::Per;
use super::{CatalogArgs, CollectionArgs, TextFormat, seed};

/// Export what was measured as a table, and split a table of any size
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve catalog export photos --to photos.parquet
  mint-sieve catalog export photos --to photos.csv
  mint-sieve catalog split photos.parquet --out split.csv")]
pub struct CatalogCommandArgs {
    #[command(subcommand)]
    pub action: CatalogAction,
}

#[derive(Debug, Subcommand)]
pub enum CatalogAction {
    Export(Box<CatalogExportArgs>),
    Split(CatalogSplitArgs),
    Listing(CatalogListingArgs),
}

/// Write the catalog as a table with one row for each image
///
/// The columns are documented in docs/scale.md. Fingerprints are four signed 64-bit numbers, so that
/// DuckDB, Polars, Spark and pandas can compare them.
#[derive(Debug, Args)]
pub struct CatalogExportArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Write the table to this new file: .parquet (in builds with that feature), .csv or .jsonl
    #[arg(long, value_name = "FILE")]
    pub to: PathBuf,
    /// Add a column of thumbnails: 48 x 48 bytes of luma, then twice 16 x 16 of chroma
    #[arg(long)]
    pub thumbnails: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}

/// Split a table of digests without reading images
///
/// For tables of millions of rows, as `catalog export` or an engine writes them. Needs the columns path,
/// class and digest; rows of one digest, or of one value in the column group, stay in one part.
#[derive(Debug, Args)]
pub struct CatalogSplitArgs {
    /// Table: Parquet (in builds with that feature), CSV or JSON Lines
    #[arg(value_name = "TABLE")]
    pub table: PathBuf,
    /// Write the split table to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub out: PathBuf,
    /// The splits and how much each gets: a share (15%), a number of images, or rest [default:
    /// train=70%,validation=15%,test=15%]
    #[arg(long, value_name = "NAME=AMOUNT,...")]
    pub parts: Option<String>,
    /// Whether image counts in --parts are totals or per class
    #[arg(long, value_enum, default_value_t)]
    pub count_per: Per,
    /// Seed of the shuffle; the same seed gives the same splits
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// List every class
    #[arg(long)]
    pub all: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}

/// List a bucket once, for all machines that measure a part of it
#[derive(Debug, Args)]
pub struct CatalogListingArgs {
    /// Address of the bucket: s3://BUCKET/PREFIX
    #[arg(value_name = "BUCKET")]
    pub bucket: String,
    /// Write the listing to this new file, for `measure --listing`
    #[arg(long, value_name = "FILE.csv")]
    pub to: PathBuf,
    #[command(flatten)]
    pub access: BucketArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}
