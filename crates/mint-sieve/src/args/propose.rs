//! Arguments of `propose`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::finding::Code;
use sieve_core::reading::Format;
use sieve_core::repair::{Cap, Prefer, Rule};
use sieve_core::suggest;

use super::judging::code;
use super::{CatalogArgs, CollectionArgs, Reach, TableFormat, seed};

/// The heading of the repairs that need an option of their own, in `--help`.
const REQUESTED: &str = "Repairs to propose";

/// Write a repair plan (CSV) for review
///
/// Turns findings and options into a plan: a CSV table with one row for each image that should be
/// dropped, relabelled, renamed or converted, and the reason. Nothing is changed. Review the plan in a
/// spreadsheet, edit or delete rows, replace each `decide` with drop, keep or relabel, and pass it to
/// `apply`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve propose photos --out plan.csv
  mint-sieve propose photos --rules list           every rule and its effect here
  mint-sieve propose photos --out plan.csv --cap smallest --bursts 2
  mint-sieve propose photos --out plan.csv --rules names --rename-from names.csv")]
pub struct ProposeArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Write the plan to this new file
    #[arg(long, value_name = "PLAN.csv")]
    pub out: Option<PathBuf>,
    /// Apply only these rules; `list` shows what each would do here [default: all that need no option
    /// of their own]
    #[arg(long, value_name = "RULE,...|list", value_delimiter = ',')]
    pub rules: Vec<String>,
    /// Never drop images from these splits
    #[arg(long, value_name = "SPLIT,...", value_delimiter = ',')]
    pub protect: Vec<String>,
    /// Criteria for the copy to keep, in order of priority
    #[arg(long, value_name = "CRITERION,...", value_delimiter = ',', value_parser = prefer)]
    #[arg(default_value = "original,pixels,bytes,camera,oldest,name")]
    pub prefer: Vec<Prefer>,
    /// Seed of the random choices
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", value_name = "NAME=VALUE", hide_short_help = true)]
    pub limits: Vec<String>,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Cap each class at N images, or at the size of the smallest class; in a split collection, only
    /// train is capped
    #[arg(long, value_name = "N|smallest", value_parser = cap, help_heading = REQUESTED)]
    pub cap: Option<Cap>,
    /// Keep the N sharpest frames of each burst
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..), help_heading = REQUESTED)]
    pub bursts: Option<u32>,
    /// Keep only these classes: names, or a file with one name per line
    #[arg(long, value_name = "NAME,...|FILE", help_heading = REQUESTED)]
    pub classes: Option<String>,
    /// Rename classes by this two-column table, for example from codes to readable names
    #[arg(long, value_name = "FILE.csv", help_heading = REQUESTED)]
    pub rename_from: Option<PathBuf>,
    /// Drop classes with fewer images than this
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..), help_heading = REQUESTED)]
    pub min_images: Option<u32>,
    /// Merge classes below --min-images into this class instead
    #[arg(long, value_name = "NAME", requires = "min_images", help_heading = REQUESTED)]
    pub merge_into: Option<String>,
    /// Drop the images of findings with these codes
    #[arg(long, value_name = "CODE,...", value_delimiter = ',', value_parser = code, help_heading = REQUESTED)]
    pub drop_code: Vec<Code>,
    /// Drop the files listed in this file, one path per line
    #[arg(long, value_name = "FILE", help_heading = REQUESTED)]
    pub drop_list: Option<PathBuf>,
    /// Convert images of these formats to PNG
    #[arg(long, value_name = "FORMAT,...", value_delimiter = ',', value_parser = format, help_heading = REQUESTED)]
    pub convert: Vec<Format>,
}

impl ProposeArgs {
    /// Whether the rules are only listed.
    pub fn lists_rules(&self) -> bool {
        self.rules.iter().any(|rule| rule == "list")
    }

    /// Whether the option that `rule` needs was given.
    pub fn requests(&self, rule: Rule) -> bool {
        match rule {
            Rule::Listed => self.drop_list.is_some(),
            Rule::Codes => !self.drop_code.is_empty(),
            Rule::Classes => self.classes.is_some(),
            Rule::Bursts => self.bursts.is_some(),
            Rule::Names => self.rename_from.is_some(),
            Rule::Floor => self.min_images.is_some(),
            Rule::Cap => self.cap.is_some(),
            Rule::Formats => !self.convert.is_empty(),
            _ => false,
        }
    }
}

fn prefer(text: &str) -> Result<Prefer, String> {
    let known = Prefer::ALL.iter().copied().find(|prefer| prefer.name() == text);
    known.ok_or_else(|| {
        let names: Vec<&str> = Prefer::ALL.iter().map(|prefer| prefer.name()).collect();
        suggest::expected(text, &names)
    })
}

fn cap(text: &str) -> Result<Cap, String> {
    match text {
        "smallest" => Ok(Cap::Smallest),
        text => match text.parse() {
            Ok(images @ 1..) => Ok(Cap::Images(images)),
            _ => Err("expected a whole number from 1 upward, or smallest".to_owned()),
        },
    }
}

fn format(text: &str) -> Result<Format, String> {
    let name = |format: Format| format.name().to_lowercase();
    let known = Format::ALL
        .into_iter()
        .find(|format| name(*format) == text || format.extensions().contains(&text));
    known.ok_or_else(|| format!("expected {}", Format::ALL.map(name).join(", ")))
}

/// Whether split folders are kept.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum SplitFolders {
    /// split/class/image
    #[default]
    Keep,
    /// class/image
    Merge,
}
