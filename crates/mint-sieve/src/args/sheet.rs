//! What `sheet` takes.

use std::path::PathBuf;

use clap::Args;
use sieve_core::finding::Code;
use sieve_core::looking::Order;
use sieve_core::nearest;

use super::judging::code;
use super::preview::page;
use super::{CatalogArgs, CollectionArgs, TextFormat, seed};

/// The heading of which images are shown.
const WHICH: &str = "Which images";

/// Look at images: a random grid of each class, a whole class, or those of a finding
///
/// Without further options a sample of every class, drawn by the seed, fills one page. Each image has its
/// class and file below it; with --code, --plan or --paths also why it is there.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve sheet photos --out sheet.png
  mint-sieve sheet photos --class bay --all --order unlike --out bay.png
  mint-sieve sheet photos --side-by-side --out classes.png
  mint-sieve sheet photos --code too-dark,soft-focus --out doubtful.png
  mint-sieve sheet photos-splits --mean --by-split --out mean.png")]
pub struct SheetArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Write the sheet to this new file; as a page, its images open at full size
    #[arg(long, value_name = "FILE.png|html", required_unless_present = "show")]
    pub out: Option<PathBuf>,
    /// Draw the sheet in the terminal too
    #[arg(long)]
    pub show: bool,
    /// Show this many images of every class [default: a spread that fits the page]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1000), help_heading = WHICH)]
    pub per_class: Option<u32>,
    /// Tell splits apart too
    #[arg(long, help_heading = WHICH)]
    pub by_split: bool,
    /// Show only this class (repeatable)
    #[arg(long = "class", value_name = "NAME", help_heading = WHICH)]
    pub classes: Vec<String>,
    /// Show all images, page by page
    #[arg(long, conflicts_with = "per_class", help_heading = WHICH)]
    pub all: bool,
    /// Show the images of findings with these codes
    #[arg(long = "code", value_name = "CODE,...", value_delimiter = ',', value_parser = code, help_heading = WHICH)]
    pub codes: Vec<Code>,
    /// Show the images of this plan
    #[arg(long, value_name = "PLAN.csv", conflicts_with_all = ["codes", "paths"], help_heading = WHICH)]
    pub plan: Option<PathBuf>,
    /// Show the images whose paths standard input lists, one on each line
    #[arg(long, conflicts_with = "codes", help_heading = WHICH)]
    pub paths: bool,
    /// In which order: chance, name, time, brightness, sharpness, size, unlike (its class)
    #[arg(long, value_name = "ORDER", default_value = "chance", value_parser = order, help_heading = WHICH)]
    pub order: Order,
    /// Seed of what is drawn
    #[arg(long, default_value_t = 0, value_parser = seed, help_heading = WHICH)]
    pub seed: u64,
    /// Show classes side by side, a row each
    #[arg(long, help_heading = "The sheet")]
    pub side_by_side: bool,
    /// Show the mean of all images of each class: what lights up is what they have in common
    #[arg(long, conflicts_with_all = ["codes", "plan", "paths", "all", "per_class"], help_heading = "The sheet")]
    pub mean: bool,
    /// Which page, from 1
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..), help_heading = "The sheet")]
    pub number: u32,
    /// Make a page of this size
    #[arg(long, value_name = "WxH", default_value = "1280x800", value_parser = page, help_heading = "The sheet")]
    pub page: (u32, u32),
    /// Images side by side [default: as many as can be told apart]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100), help_heading = "The sheet")]
    pub across: Option<u32>,
    /// Take images from the catalog, 48 pixels each, instead of reading their files
    #[arg(long, help_heading = "The sheet")]
    pub rough: bool,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}

fn order(text: &str) -> Result<Order, String> {
    let known = Order::ALL.into_iter().find(|order| order.name() == text);
    known.ok_or_else(|| {
        let names = Order::ALL.map(Order::name);
        match nearest::word(text, names) {
            Some(near) => format!("did you mean {near}?"),
            None => format!("expected {}", names.join(", ")),
        }
    })
}
