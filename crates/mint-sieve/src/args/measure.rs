//! Arguments of `measure` and `merge`.

use std::path::PathBuf;

use clap::Args;
use sieve_core::catalog_table::Part;

use super::{CatalogArgs, CollectionArgs, TextFormat};

/// Measure one part of a collection, to be merged with the others
///
/// Use it where one machine would take too long: each machine measures its own part of the same
/// collection. Which part a file belongs to depends on its path alone. A run that was interrupted
/// goes on where it stopped.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve measure s3://herbs/photos --part 3/16 --to part-03.parquet
  mint-sieve measure photos --part 1/2 --to part-1.jsonl
  mint-sieve merge part-*.parquet --to herbs.catalog")]
pub struct MeasureArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    /// Which part to measure, and of how many
    #[arg(long, value_name = "K/N")]
    pub part: Part,
    /// Write the part to this new file: .parquet (in builds with that feature) or .jsonl
    #[arg(long, value_name = "FILE")]
    pub to: PathBuf,
    /// List a bucket from this file, which `catalog listing` wrote, instead of asking it again
    #[arg(long, value_name = "FILE.csv")]
    pub listing: Option<PathBuf>,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}

/// Merge measured parts into one catalog
///
/// Every part must be given once, and all must have been measured by the same version and under the
/// same limits. With --catalog, every command then answers as if one machine had measured everything.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve merge part-*.parquet --to herbs.catalog
  mint-sieve audit s3://herbs/photos --catalog herbs.catalog")]
pub struct MergeArgs {
    /// Parts, as `measure` writes them
    #[arg(value_name = "FILE", required = true)]
    pub parts: Vec<PathBuf>,
    /// Write the catalog to this new file
    #[arg(long, value_name = "CATALOG")]
    pub to: PathBuf,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}
