//! Arguments of `limits`.

use std::path::PathBuf;

use clap::Args;
use sieve_core::collection::Root;

use super::TableFormat;
use super::collection::root;

/// List every threshold behind the findings: its value, source and reason
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve limits
  mint-sieve limits photos                         as set in photos/mint-sieve.toml
  mint-sieve limits --format csv > limits.csv")]
pub struct LimitsArgs {
    /// Collection whose settings apply [default: the current folder]
    #[arg(value_name = "COLLECTION", value_parser = root())]
    pub root: Option<Root>,
    /// Read settings from this file [default: mint-sieve.toml, found upward from the collection]
    #[arg(long, value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Set a limit (repeatable)
    #[arg(long = "limit", value_name = "NAME=VALUE")]
    pub limits: Vec<String>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
}
