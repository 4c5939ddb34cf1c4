//! Arguments of `catalog`.

use std::path::PathBuf;

use clap::{Args, Subcommand};

use super::{CatalogArgs, CollectionArgs, TextFormat};

/// Export what was measured, for SQL, notebooks and other programs
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve catalog export photos --to photos.parquet
  mint-sieve catalog export photos --to photos.csv")]
pub struct CatalogCommandArgs {
    #[command(subcommand)]
    pub action: CatalogAction,
}

#[derive(Debug, Subcommand)]
pub enum CatalogAction {
    Export(Box<CatalogExportArgs>),
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
