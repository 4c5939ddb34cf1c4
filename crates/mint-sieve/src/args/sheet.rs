//! Arguments of `sheet`.

use std::path::PathBuf;

use clap::Args;
use sieve_core::finding::Code;
use sieve_core::ordering::Order;
use sieve_core::suggest;

use super::judging::code;
use super::preview::size;
use super::{CatalogArgs, CollectionArgs, TextFormat, VectorArgs, seed};

/// The heading of the options that choose images, in `--help`.
const WHICH: &str = "Which images";

/// Draw a contact sheet: a sample of each class, a whole class or a finding
///
/// By default, a random sample of every class fills one page. Each image is labelled with its class and
/// file name, and with --code, --plan or --paths also with the reason why it is shown.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve sheet photos --out sheet.png
  mint-sieve sheet photos --class bay --all --order atypical --out bay.png
  mint-sieve sheet photos --side-by-side --out classes.png
  mint-sieve sheet photos --code too-dark,soft-focus --out doubtful.png
  mint-sieve sheet photos-splits --mean --by-split --out mean.png")]
pub struct SheetArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Write the sheet to this new file; in an HTML page, images open at full size
    #[arg(long, value_name = "FILE.png|html", required_unless_present = "show")]
    pub out: Option<PathBuf>,
    /// Draw the sheet in the terminal too
    #[arg(long)]
    pub show: bool,
    /// Show N random images of each class [default: as many as fit on the page]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=1000), help_heading = WHICH)]
    pub per_class: Option<u32>,
    /// Group by split as well
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
    /// Show the images that this plan changes
    #[arg(long, value_name = "PLAN.csv", conflicts_with_all = ["codes", "paths"], help_heading = WHICH)]
    pub plan: Option<PathBuf>,
    /// Show the images whose paths are read from standard input, one per line
    #[arg(long, conflicts_with = "codes", help_heading = WHICH)]
    pub paths: bool,
    /// Order of the images: random, name, time, brightness, sharpness, size, or atypical (least like
    /// their class first)
    #[arg(long, value_name = "ORDER", default_value = "random", value_parser = order, help_heading = WHICH)]
    pub order: Order,
    /// Seed of the random sample
    #[arg(long, default_value_t = 0, value_parser = seed, help_heading = WHICH)]
    pub seed: u64,
    /// Show one row for each class, side by side
    #[arg(long, help_heading = "The sheet")]
    pub side_by_side: bool,
    /// Show the mean of all images of each class, which reveals what they have in common
    #[arg(long, conflicts_with_all = ["codes", "plan", "paths", "all", "per_class"], help_heading = "The sheet")]
    pub mean: bool,
    /// Page to draw, from 1
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..), help_heading = "The sheet")]
    pub page: u32,
    /// Size of a page in pixels
    #[arg(long, value_name = "WxH", default_value = "1280x800", value_parser = size, help_heading = "The sheet")]
    pub size: (u32, u32),
    /// Images in each row [default: as many as stay recognisable]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100), help_heading = "The sheet")]
    pub across: Option<u32>,
    /// Draw the catalog's 48-pixel thumbnails instead of reading the files
    #[arg(long, help_heading = "The sheet")]
    pub from_thumbnails: bool,
    #[command(flatten)]
    pub vectors: VectorArgs,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}

fn order(text: &str) -> Result<Order, String> {
    let known = Order::ALL.into_iter().find(|order| order.name() == text);
    known.ok_or_else(|| suggest::expected(text, &Order::ALL.map(Order::name)))
}
