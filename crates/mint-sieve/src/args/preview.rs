//! What `preview` takes.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{CollectionArgs, seed};

/// Show on one sheet what an augmentation policy does to real images
///
/// Each row is an image: first as the model sees it without augmentation, then as many independent
/// draws of the policy as fit. Of a collection with splits only training images are shown: only
/// those are augmented. Reports how much of what was drawn lies outside the images.
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
    /// Show this many images of every class [default: a spread that fits 1280x800]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1000))]
    pub per_class: Option<u32>,
    /// Draw the policy this many times on each image [default: as many as fit 1280 pixels]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100))]
    pub draws: Option<u32>,
    /// Show only this class (repeatable)
    #[arg(long = "class", value_name = "NAME")]
    pub classes: Vec<String>,
    /// Show every pixel that the model sees; the sheet grows
    #[arg(long)]
    pub full_size: bool,
    /// Seed for the choice of images and for the draws
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: PreviewFormat,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum PreviewFormat {
    /// Text for people
    #[default]
    Text,
    /// JSON with every tile: its place on the sheet, its image, what was drawn
    Json,
}
