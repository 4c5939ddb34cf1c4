//! What `preview` takes.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{CatalogArgs, CollectionArgs, seed};

/// The heading of what a sheet looks like in `--help`.
const SHEET: &str = "The sheet";

/// Show and measure what an augmentation policy does to real images
///
/// Tries the policy on training images: how much of the frame it invents and hides, how many draws lie
/// outside of what validation shows, how much is flattened, how often draws look like another class,
/// and which step does it. With `--out` a sheet shows it: each row is an image, first as the model sees
/// it without augmentation, then draw by draw. Only training images are augmented: of a collection with
/// splits, validation and test are only ever shown as the frame cuts them.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve preview photos --policy gentle --out gentle.png
  mint-sieve preview photos --policy mine.toml --ladder rotate --out ladder.png
  mint-sieve preview photos --policy mine.toml --against gentle --out both.png
  mint-sieve preview photos --policy mine.toml --frame-only --out frame.png
  mint-sieve preview photos-splits --policy mine.toml --to photos-augmented --draws 3")]
pub struct PreviewArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// The policy: a TOML file, or one of the examples: gentle, harsh
    #[arg(long, value_name = "FILE")]
    pub policy: PathBuf,
    /// Write the sheet to this new file
    #[arg(long, value_name = "FILE.png")]
    pub out: Option<PathBuf>,
    /// Show one step, or the whole policy, from least to most
    #[arg(long, value_name = "STEP|strength", conflicts_with_all = ["against", "frame_only", "to"])]
    pub ladder: Option<String>,
    /// Show another policy on the same images and draws (repeatable)
    #[arg(long, value_name = "FILE", conflicts_with_all = ["frame_only", "to"])]
    pub against: Vec<PathBuf>,
    /// Show only what the frame does: what is cut off, and what the model sees
    #[arg(long, conflicts_with = "to")]
    pub frame_only: bool,
    /// Write augmented copies of the training images to this new folder, with augmented.csv
    #[arg(long, value_name = "FOLDER", conflicts_with = "out")]
    pub to: Option<PathBuf>,
    /// Turn the policy's dial: 0 does nothing, 1 is as written, 2 twice as strong
    #[arg(long, value_name = "FACTOR", value_parser = strength)]
    pub strength: Option<f64>,
    /// Draw the policy this many times on each image [default: as many as fit; with --to, 1]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100))]
    pub draws: Option<u32>,
    /// Seed for the choice of images and for the draws
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Measure the processor time of the policy and of each step too
    #[arg(long)]
    pub cost: bool,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", value_name = "NAME=VALUE")]
    pub limits: Vec<String>,
    /// Draw the sheet without measuring the policy
    #[arg(long, requires = "out", conflicts_with_all = ["cost", "to"])]
    pub sheet_only: bool,
    /// Show images of this split; a held-out one is never augmented
    #[arg(long, value_name = "NAME")]
    pub split: Option<String>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: PreviewFormat,
    /// Show this many images of every class [default: a spread that fits the page]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1000))]
    #[arg(display_order = 30, help_heading = SHEET)]
    pub per_class: Option<u32>,
    /// Show only this class (repeatable)
    #[arg(long = "class", value_name = "NAME", display_order = 31, help_heading = SHEET)]
    pub classes: Vec<String>,
    /// Make the sheet fit a page of this size
    #[arg(long, value_name = "WxH", default_value = "1280x800", value_parser = page)]
    #[arg(display_order = 32, help_heading = SHEET)]
    pub page: (u32, u32),
    /// Show every pixel that the model sees; the sheet grows
    #[arg(long, display_order = 33, help_heading = SHEET)]
    pub full_size: bool,
    /// Draw the sheet in the terminal too
    #[arg(long, display_order = 34, help_heading = SHEET)]
    pub show: bool,
}

fn strength(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(strength) if (0.0..=2.0).contains(&strength) => Ok(strength),
        _ => Err("expected a number from 0 to 2".to_owned()),
    }
}

pub(super) fn page(text: &str) -> Result<(u32, u32), String> {
    let sides = text
        .split_once('x')
        .and_then(|(width, height)| Some((width.parse().ok()?, height.parse().ok()?)));
    match sides {
        Some((width @ 200..=20_000, height @ 200..=20_000)) => Ok((width, height)),
        _ => Err("expected a width and height from 200 to 20000, such as 1280x800".to_owned()),
    }
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum PreviewFormat {
    /// What was drawn and what it does
    #[default]
    Text,
    /// JSON with every number, and the place of every tile
    Json,
}
