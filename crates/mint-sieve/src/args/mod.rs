//! The command line. Nothing here reads a file or does any work.

mod apply;
mod audit;
mod balance;
mod catalog;
mod collection;
mod coverage;
mod demo;
mod duplicates;
mod gather;
mod judging;
mod leakage;
mod limits;
mod measure;
mod nearest;
mod outliers;
mod pack;
mod policy;
mod preview;
mod propose;
mod report;
mod review;
mod sheet;
mod shortcuts;
mod split;
mod trial;
mod vectors;
mod verify;

pub use apply::{ApplyArgs, UndoArgs};
pub use audit::{AuditArgs, AuditFormat};
pub use balance::BalanceArgs;
pub use catalog::{
    CatalogAction, CatalogCommandArgs, CatalogExportArgs, CatalogListingArgs, CatalogSplitArgs,
};
pub use collection::{CatalogArgs, CollectionArgs, CollectionInArgs, ReadingArgs};
pub use coverage::CoverageArgs;
pub use demo::DemoArgs;
pub use duplicates::{DuplicatesArgs, Reach, Within};
pub use gather::GatherArgs;
pub use judging::JudgingArgs;
pub use leakage::LeakageArgs;
pub use limits::LimitsArgs;
pub use measure::{MeasureArgs, MergeArgs};
pub use nearest::NearestArgs;
pub use outliers::OutliersArgs;
pub use pack::{Allowance, PackArgs};
pub use policy::{PolicyAction, PolicyArgs, PolicyDraftArgs, PolicyFormat};
pub use preview::PreviewArgs;
pub use propose::{ProposeArgs, SplitFolders as SplitFoldersBecome};
pub use report::ReportArgs;
pub use review::ReviewArgs;
pub use sheet::SheetArgs;
pub use shortcuts::ShortcutsArgs;
pub use split::{Conflicts, Copies, GroupBy, SplitArgs};
pub use trial::TrialArgs;
pub use vectors::{Distance, VectorArgs};
pub use verify::VerifyArgs;

use std::ffi::OsString;

use clap::error::{ContextKind, ContextValue, ErrorKind};
use clap::{Arg, CommandFactory, FromArgMatches, Parser, Subcommand, ValueEnum};
use sieve_core::suggest;

/// Find out what is wrong with an image collection before a model is trained on it.
///
/// Audits a folder-per-class collection, builds stratified train, validation and test splits, and
/// shows what an augmentation policy does to the images. Nothing changes your collection except
/// `apply --in-place`, and `undo` reverts that.
#[derive(Debug, Parser)]
#[command(
    name = "mint-sieve",
    version,
    help_template = "{about-with-newline}\n{usage-heading} {usage}\n{before-help}Options:\n{options}{after-help}",
    after_help = "\
Examples:
  mint-sieve demo                                  a tour on painted images; start here
  mint-sieve audit photos                          what is in photos/ and what is wrong with it
  mint-sieve sheet photos --out sheet.png          a random sample of each class
  mint-sieve duplicates photos                     copies, crops, mirrored images, bursts
  mint-sieve balance photos --batch 32             class weights, caps, steps per epoch
  mint-sieve report photos --out report.html       the whole audit on one page, with keep/drop/relabel buttons
  mint-sieve leakage photos-splits                 what inflates a test score
  mint-sieve propose photos --out plan.csv         a repair plan, to review and `apply`
  mint-sieve split photos --to photos-splits       train, validation and test folders
  mint-sieve verify photos-splits/split.csv        check that a split is still as it was made
  mint-sieve preview photos --policy gentle --out preview.png
  mint-sieve trial photos-splits --policies none,gentle      does the policy help? a small learner, in minutes
  mint-sieve review predictions.csv --in photos-splits       what wrong predictions say about the data"
)]
pub struct Cli {
    #[command(subcommand)]
    pub command: Command,
    /// Number of threads [default: one per core]
    #[arg(long, global = true, display_order = 90, value_name = "N", value_parser = threads)]
    pub threads: Option<usize>,
    /// Log decisions about each file to standard error (-vv for more detail)
    #[arg(long, short, global = true, display_order = 91, action = clap::ArgAction::Count)]
    pub verbose: u8,
}

impl Cli {
    /// Parses a command line. A word such as -5 is the value of the option before it, not an option.
    pub fn parse_from<W: Into<OsString> + Clone>(
        words: impl IntoIterator<Item = W>,
    ) -> Result<Self, clap::Error> {
        let command = Cli::command()
            .mut_args(with_negative_numbers)
            .mut_subcommands(|command| command.mut_args(with_negative_numbers));
        let list = grouped_command_list(&command);
        let command = command.before_help(list);
        let matches = command.try_get_matches_from(words).map_err(|mut error| {
            // An unknown option is hardly ever meant as the name of a collection.
            if error.kind() == ErrorKind::UnknownArgument {
                error.remove(ContextKind::Suggested);
                forget_far_fetched(&mut error);
            }
            error
        })?;
        Cli::from_arg_matches(&matches)
    }
}

/// The commands, in the order in which a curator needs them.
const GROUPS: [(&str, &[&str]); 9] = [
    ("Inspect", &["audit", "sheet", "balance", "report"]),
    ("Find duplicates", &["duplicates", "nearest"]),
    ("Find what misleads a model", &["outliers", "shortcuts", "coverage"]),
    ("Repair", &["propose", "apply", "undo", "gather"]),
    ("Split", &["split", "leakage", "verify"]),
    ("Preview", &["preview", "policy", "trial"]),
    ("Hand over", &["pack", "review"]),
    ("Beyond one machine", &["measure", "merge", "catalog"]),
    ("Learn", &["demo", "limits"]),
];

/// The list of commands, grouped by task. A command that is in no group is not listed, which a test notices.
fn grouped_command_list(command: &clap::Command) -> String {
    let about = |name: &str| {
        let found = command.find_subcommand(name).and_then(clap::Command::get_about);
        found.map(ToString::to_string).unwrap_or_default()
    };
    let mut text = String::new();
    for (heading, names) in GROUPS {
        text.push_str(&format!("\n{heading}:\n"));
        for name in names {
            text.push_str(&format!("  {name:<12}{}\n", about(name)));
        }
    }
    text
}

/// Takes an option out of an error that is suggested for another one but hardly resembles it.
fn forget_far_fetched(error: &mut clap::Error) {
    let text = |kind: ContextKind| match error.get(kind) {
        Some(ContextValue::String(text)) => Some(text.clone()),
        _ => None,
    };
    let (Some(typed), Some(suggested)) =
        (text(ContextKind::InvalidArg), text(ContextKind::SuggestedArg))
    else {
        return;
    };
    // The dashes, which all options begin with, must not make them alike.
    let word = |option: &str| option.trim_start_matches('-').to_owned();
    if suggest::word(&word(&typed), [word(&suggested).as_str()]).is_some() {
        return;
    }
    if let Some(ContextValue::StyledStr(usage)) = error.get(ContextKind::Usage) {
        let usage = usage.to_string().replace(&format!("{suggested} "), "");
        error.insert(ContextKind::Usage, ContextValue::StyledStr(usage.into()));
    }
    error.remove(ContextKind::SuggestedArg);
}

fn with_negative_numbers(arg: Arg) -> Arg {
    let takes_value = arg.get_action().takes_values() && !arg.is_positional();
    if takes_value { arg.allow_negative_numbers(true) } else { arg }
}

fn threads(text: &str) -> Result<usize, String> {
    match text.parse() {
        Ok(count @ 1..=1024) => Ok(count),
        _ => Err("expected a whole number from 1 to 1024".to_owned()),
    }
}

fn seed(text: &str) -> Result<u64, String> {
    text.parse().map_err(|_| "expected a whole number from 0 upward".to_owned())
}

#[derive(Debug, Subcommand)]
pub enum Command {
    Audit(AuditArgs),
    Sheet(Box<SheetArgs>),
    Duplicates(DuplicatesArgs),
    Nearest(NearestArgs),
    Outliers(OutliersArgs),
    Shortcuts(ShortcutsArgs),
    Coverage(CoverageArgs),
    Balance(BalanceArgs),
    Report(Box<ReportArgs>),
    Leakage(LeakageArgs),
    Propose(Box<ProposeArgs>),
    Apply(Box<ApplyArgs>),
    Undo(UndoArgs),
    Gather(Box<GatherArgs>),
    Split(SplitArgs),
    Verify(VerifyArgs),
    Preview(Box<PreviewArgs>),
    Policy(PolicyArgs),
    Trial(Box<TrialArgs>),
    Pack(Box<PackArgs>),
    Review(Box<ReviewArgs>),
    Measure(Box<MeasureArgs>),
    Merge(MergeArgs),
    Catalog(CatalogCommandArgs),
    Limits(LimitsArgs),
    Demo(DemoArgs),
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum TextFormat {
    /// Text for people
    #[default]
    Text,
    /// JSON with every number, for programs
    Json,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum TableFormat {
    /// Text for people
    #[default]
    Text,
    /// JSON with every number, for programs
    Json,
    /// CSV, for spreadsheets
    Csv,
}

#[cfg(test)]
mod tests {
    use super::*;

    fn command() -> clap::Command {
        Cli::command().term_width(100)
    }

    #[test]
    fn every_command_is_listed_once() {
        let mut listed: Vec<&str> =
            GROUPS.iter().flat_map(|(_, names)| names.iter().copied()).collect();
        let mut there: Vec<String> =
            command().get_subcommands().map(|command| command.get_name().to_owned()).collect();
        listed.sort_unstable();
        there.sort_unstable();
        assert_eq!(listed, there);
    }

    #[test]
    fn short_help_is_one_screen_and_leaves_reading_to_the_long_one() {
        for mut command in command().get_subcommands().cloned() {
            let name = command.get_name().to_owned();
            let short = command.render_help().to_string();
            let lines = short.lines().count();
            // The rows of a terminal at about 1280 x 800.
            assert!(lines <= 47, "{name}: {lines} lines");
            assert!(!short.contains("Reading the collection"), "{name}");
            let long = command.render_long_help().to_string();
            let reads = command.get_arguments().any(|arg| arg.get_id() == "max_megapixels");
            assert_eq!(long.contains("Reading the collection:"), reads, "{name}");
            assert!(
                short.contains("Examples:") && short.lines().all(|line| line.len() <= 110),
                "{name}"
            );
        }
    }

    #[test]
    fn a_value_out_of_range_names_the_range() {
        let message = |words: &[&str]| {
            let words = ["mint-sieve"].iter().chain(words);
            Cli::parse_from(words).unwrap_err().to_string()
        };
        assert!(
            message(&["audit", "x", "--threads", "0"]).contains("a whole number from 1 to 1024")
        );
        assert!(message(&["split", "x", "--seed", "-1"]).contains("a whole number from 0 upward"));
        assert!(message(&["split", "x", "--folds", "1"]).contains("a whole number from 2 to 100"));
        assert!(message(&["split", "x", "--subset", "rest"]).contains("a share above 0%"));
        assert!(message(&["split", "x", "--lock", "test"]).contains("--keep"));
        assert!(message(&["split", "x", "--from", "train"]).contains("--parts"));
    }
}
