//! What `propose` takes.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::finding::Code;
use sieve_core::nearest;
use sieve_core::reading::Format;
use sieve_core::repair::{Cap, Prefer, Rule};

use super::judging::code;
use super::{CatalogArgs, CollectionArgs, Reach, TableFormat, seed};

/// The heading of what a person asks for beside what is wrong.
const WISHES: &str = "Wishes";

/// Propose repairs as a table that you review
///
/// Turns findings and wishes into a plan: a CSV table with one row for each image that should be dropped,
/// relabelled, renamed or stored anew, and why. Nothing is changed. Look through the plan in any
/// spreadsheet, delete or change rows, write drop, keep or relabel where it says decide, and hand it to
/// `apply`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve propose photos --out plan.csv
  mint-sieve propose photos --rules list           every rule, and what it would do here
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
    /// Apply only these rules; `list` says what each would do here [default: those that need no wish]
    #[arg(long, value_name = "RULE,...|list", value_delimiter = ',')]
    pub rules: Vec<String>,
    /// Drop no copy and no leak from these splits
    #[arg(long, value_name = "SPLIT,...", value_delimiter = ',')]
    pub protect: Vec<String>,
    /// What decides which copy stays, the first that tells them apart
    #[arg(long, value_name = "WHAT,...", value_delimiter = ',', value_parser = prefer)]
    #[arg(default_value = "original,pixels,bytes,camera,oldest,name")]
    pub prefer: Vec<Prefer>,
    /// Seed, where chance decides what stays
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// Set a limit (repeatable); `mint-sieve limits` explains them
    #[arg(long = "limit", value_name = "NAME=VALUE", hide_short_help = true)]
    pub limits: Vec<String>,
    /// How far to look for copies [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Keep so many images of each class at most, or as many as the smallest class has; of a split
    /// collection in train
    #[arg(long, value_name = "N|smallest", value_parser = cap, help_heading = WISHES)]
    pub cap: Option<Cap>,
    /// Keep so many frames of one moment, the sharpest
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..), help_heading = WISHES)]
    pub bursts: Option<u32>,
    /// Keep only these classes: names, or a file with a name on each line
    #[arg(long, value_name = "NAME,...|FILE", help_heading = WISHES)]
    pub classes: Option<String>,
    /// Rename classes by this table of two columns, such as codes and readable names
    #[arg(long, value_name = "FILE.csv", help_heading = WISHES)]
    pub rename_from: Option<PathBuf>,
    /// Drop classes with fewer images
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..), help_heading = WISHES)]
    pub at_least: Option<u32>,
    /// Put the classes below --at-least into this one instead
    #[arg(long, value_name = "NAME", requires = "at_least", help_heading = WISHES)]
    pub merge_into: Option<String>,
    /// Drop the images of findings with these codes
    #[arg(long, value_name = "CODE,...", value_delimiter = ',', value_parser = code, help_heading = WISHES)]
    pub drop_code: Vec<Code>,
    /// Drop the files that this file lists, one path on each line
    #[arg(long, value_name = "FILE", help_heading = WISHES)]
    pub drop_list: Option<PathBuf>,
    /// Store images of these formats as PNG
    #[arg(long, value_name = "FORMAT,...", value_delimiter = ',', value_parser = format, help_heading = WISHES)]
    pub convert: Vec<Format>,
}

impl ProposeArgs {
    /// Whether rules are only to be listed.
    pub fn lists_rules(&self) -> bool {
        self.rules.iter().any(|rule| rule == "list")
    }

    /// The rules whose wish was made.
    pub fn wished(&self, rule: Rule) -> bool {
        match rule {
            Rule::Listed => self.drop_list.is_some(),
            Rule::Codes => !self.drop_code.is_empty(),
            Rule::Classes => self.classes.is_some(),
            Rule::Bursts => self.bursts.is_some(),
            Rule::Names => self.rename_from.is_some(),
            Rule::Floor => self.at_least.is_some(),
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
        match nearest::word(text, names.iter().copied()) {
            Some(near) => format!("did you mean {near}?"),
            None => format!("expected {}", names.join(", ")),
        }
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

/// What the formats of `--link` are called.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum SplitFolders {
    /// split/class/image
    #[default]
    Keep,
    /// class/image
    Merge,
}
