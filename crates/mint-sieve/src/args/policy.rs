//! What `policy` takes.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::{CollectionArgs, seed};

/// Check, show or draft an augmentation policy
///
/// `check` says in words what a policy does, `show` writes it out with everything it leaves unsaid, and
/// `draft` writes a first policy for a collection from what its images show.
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

/// Say in words what a policy does, and what each step invents and hides
#[derive(Debug, Args)]
pub struct PolicyCheckArgs {
    /// The policy: a TOML file, or one of the examples: gentle, harsh
    #[arg(value_name = "FILE")]
    pub policy: PathBuf,
    /// Measure the processor time of each step too, on a made-up image of 500 x 375 pixels
    #[arg(long)]
    pub cost: bool,
}

/// Write a policy out with all that it leaves unsaid
#[derive(Debug, Args)]
pub struct PolicyShowArgs {
    /// The policy: a TOML file, or one of the examples: gentle, harsh
    #[arg(value_name = "FILE")]
    pub policy: PathBuf,
    /// Output format: the TOML of a policy, or JSON
    #[arg(long, value_enum, default_value_t)]
    pub format: PolicyFormat,
}

/// Write a first policy for a collection, with the reason for each step
///
/// Ranges follow how much the images of one class differ: of validation where there is one. Each step is
/// weakened until `preview` calls it gentle, and flips are proposed only where they do not make images
/// look like another class.
#[derive(Debug, Args)]
pub struct PolicyDraftArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    /// Write the policy to this new file
    #[arg(long, value_name = "FILE.toml")]
    pub out: PathBuf,
    /// Sides of the frame in pixels
    #[arg(long, value_name = "PIXELS", default_value_t = 224, value_parser = clap::value_parser!(u32).range(8..=4096))]
    pub size: u32,
    /// Seed for the choice of images and for the draws
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
