//! Arguments of `preview`.

use std::path::PathBuf;

use clap::Args;

use super::{CatalogArgs, CollectionArgs, seed};

/// The heading of the options for the sheet's layout, in `--help`.
const SHEET: &str = "The sheet";

/// Preview an augmentation policy on real images and measure its effect
///
/// Applies the policy to training images and measures how much of the frame is invented or hidden, how
/// many draws fall outside the range of the validation images, how much is clipped, how often draws look
/// like another class, and which step is responsible. `--out` writes a sheet: each row shows an image as
/// the model sees it without augmentation, then one draw after another. Only training images are
/// augmented; held-out images are only ever framed.
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
    /// Policy: a TOML file, or one of the built-in examples: gentle, harsh
    #[arg(long, value_name = "FILE")]
    pub policy: PathBuf,
    /// Write the sheet to this new file
    #[arg(long, value_name = "FILE.png")]
    pub out: Option<PathBuf>,
    /// Show one step, or the whole policy, from weakest to strongest
    #[arg(long, value_name = "STEP|strength", conflicts_with_all = ["against", "frame_only", "to"])]
    pub ladder: Option<String>,
    /// Show another policy beside it, on the same images (repeatable)
    #[arg(long, value_name = "FILE", conflicts_with_all = ["frame_only", "to"])]
    pub against: Vec<PathBuf>,
    /// Show only the framing: what is cropped away, and what the model sees
    #[arg(long, conflicts_with = "to")]
    pub frame_only: bool,
    /// Write augmented copies of the training images to this new folder, with augmented.csv
    #[arg(long, value_name = "FOLDER", conflicts_with = "out")]
    pub to: Option<PathBuf>,
    /// Scale the strength of the whole policy: 0 turns it off, 1 is as written, 2 doubles it
    #[arg(long, value_name = "FACTOR", value_parser = strength)]
    pub strength: Option<f64>,
    /// Draws per image [default: as many as fit on the sheet; with --to, 1]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100))]
    pub draws: Option<u32>,
    /// Seed of the sample and of the draws
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Also measure the processor time of the policy and of each step
    #[arg(long)]
    pub cost: bool,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", value_name = "NAME=VALUE")]
    pub limits: Vec<String>,
    /// Draw the sheet without measuring the policy
    #[arg(long, requires = "out", conflicts_with_all = ["cost", "to"])]
    pub sheet_only: bool,
    /// Show images of this split; a held-out split is framed, never augmented
    #[arg(long, value_name = "NAME")]
    pub split: Option<String>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: super::TextFormat,
    /// Show N random images of each class [default: as many as fit on the page]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1000))]
    #[arg(display_order = 30, help_heading = SHEET)]
    pub per_class: Option<u32>,
    /// Show only this class (repeatable)
    #[arg(long = "class", value_name = "NAME", display_order = 31, help_heading = SHEET)]
    pub classes: Vec<String>,
    /// Size of the sheet in pixels
    #[arg(long, value_name = "WxH", default_value = "1280x800", value_parser = size)]
    #[arg(display_order = 32, help_heading = SHEET)]
    pub size: (u32, u32),
    /// Draw each frame at full size; the sheet grows to fit
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

pub(super) fn size(text: &str) -> Result<(u32, u32), String> {
    let sides = text
        .split_once('x')
        .and_then(|(width, height)| Some((width.parse().ok()?, height.parse().ok()?)));
    match sides {
        Some((width @ 200..=20_000, height @ 200..=20_000)) => Ok((width, height)),
        _ => Err("expected a width and height from 200 to 20000, such as 1280x800".to_owned()),
    }
}
