//! Arguments of `policy`.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::{CatalogArgs, CollectionArgs, seed};

/// Check, show or draft an augmentation policy
///
/// `check` explains what each step does and costs, `show` prints the policy with every default filled in,
/// and `draft` writes a first policy for a collection, based on how its images vary.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve policy check mine.toml
  mint-sieve policy show gentle > mine.toml
  mint-sieve policy draft photos-splits --out first.toml")]
pub struct PolicyArgs {
    #[command(subcommand)]
    pub action: PolicyAction,
}

#[derive(Debug, Subcommand)]
pub enum PolicyAction {
    Check(PolicyCheckArgs),
    Show(PolicyShowArgs),
    Draft(Box<PolicyDraftArgs>),
}

/// Explain a policy: what each step does, invents and hides
#[derive(Debug, Args)]
pub struct PolicyCheckArgs {
    /// Policy: a TOML file, or one of the built-in examples: gentle, harsh
    #[arg(value_name = "FILE")]
    pub policy: PathBuf,
    /// Also measure the processor time of each step, on a synthetic image of 500 x 375 pixels
    #[arg(long)]
    pub cost: bool,
}

/// Print the policy with every default filled in
#[derive(Debug, Args)]
pub struct PolicyShowArgs {
    /// Policy: a TOML file, or one of the built-in examples: gentle, harsh
    #[arg(value_name = "FILE")]
    pub policy: PathBuf,
    /// Output format: TOML or JSON
    #[arg(long, value_enum, default_value_t)]
    pub format: PolicyFormat,
}

/// Draft a policy for a collection, with the reason for each step
///
/// Ranges follow the variation within each class, measured on validation images if there are any. Each
/// step is weakened until `preview` grades it gentle, and flips are proposed only if they do not make
/// images look like another class.
#[derive(Debug, Args)]
pub struct PolicyDraftArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Write the policy to this new file
    #[arg(long, value_name = "FILE.toml")]
    pub out: PathBuf,
    /// Side of the square frame in pixels
    #[arg(long, value_name = "PIXELS", default_value_t = 224, value_parser = clap::value_parser!(u32).range(8..=4096))]
    pub size: u32,
    /// Seed of the sample and of the draws
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum PolicyFormat {
    /// TOML
    #[default]
    Text,
    /// JSON, for programs
    Json,
}
