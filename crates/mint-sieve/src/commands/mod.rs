//! One file per command: arguments to a request, the core's answer to text.

mod apply;
mod audit;
mod balance;
mod catalog;
mod collection;
mod coverage;
mod demo;
mod duplicates;
mod finding_policy;
mod gather;
mod leakage;
mod limits;
mod measure;
mod merge;
mod nearest;
mod outliers;
mod pack;
mod photograph;
mod policy;
mod preview;
mod propose;
mod report;
mod review;
mod run_cache;
mod sheet;
mod sheet_images;
mod shortcuts;
mod skipping;
mod split;
mod store;
mod thumbnails;
mod trial;
mod vectors;
mod verify;

use std::path::Path;

use sieve_core::objects::is_bucket;

use crate::args::{Command, TableFormat, TextFormat};
use crate::failure::{Exit, Failure};
use crate::present::{Reply, TableReply};
use crate::progress::TerminalProgress;
use crate::writing::Link;

/// What a command says, by who reads it.
pub enum Output {
    /// Text for people, with styles; its tables are not laid out yet.
    People(String),
    /// A table for programs.
    Csv(String),
    /// JSON or a page, exactly as it is.
    Document(String),
}

impl Output {
    /// An answer in the form that was requested.
    fn of(reply: &dyn Reply, format: TextFormat) -> Self {
        match format {
            TextFormat::Text => Output::People(reply.text()),
            TextFormat::Json => Output::Document(reply.json()),
        }
    }

    /// An answer that can be a table as well.
    fn of_table(reply: &dyn TableReply, format: TableFormat) -> Self {
        match format {
            TableFormat::Text => Output::People(reply.text()),
            TableFormat::Json => Output::Document(reply.json()),
            TableFormat::Csv => Output::Csv(reply.csv()),
        }
    }

    /// The same below something drawn for the terminal; programs get the answer alone.
    fn below(self, drawn: &str) -> Self {
        match self {
            Output::People(text) => Output::People(drawn.to_owned() + &text),
            other => other,
        }
    }
}

/// What a command says and how it exits.
pub struct Answer {
    /// For standard output.
    pub output: Output,
    /// Done, or found.
    pub exit: Exit,
}

impl Answer {
    /// An answer without a finding to exit on.
    fn done(output: Output) -> Self {
        Answer { output, exit: Exit::Done }
    }
}

/// Refuses links in a bucket: it holds copies only.
fn refuse_linked_upload(to: &Path, link: Link) -> Result<(), Failure> {
    match is_bucket(to) && link != Link::Copy {
        true => Err(Failure::call("a bucket cannot hold links".to_owned()).hint("Omit --link.")),
        false => Ok(()),
    }
}

/// Refuses two outputs that name the same file.
fn refuse_same(
    one: &str,
    first: Option<&Path>,
    other: &str,
    second: Option<&Path>,
) -> Result<(), Failure> {
    match (first, second) {
        (Some(first), Some(second))
            if std::path::absolute(first).ok() == std::path::absolute(second).ok() =>
        {
            Err(Failure::call(format!("{one} and {other} both name {}", second.display()))
                .hint("Give each a file of its own."))
        }
        _ => Ok(()),
    }
}

/// Runs one command.
pub fn run(command: &Command, progress: &TerminalProgress) -> Result<Answer, Failure> {
    match command {
        Command::Audit(args) => audit::run(args, progress),
        Command::Sheet(args) => sheet::run(args, progress),
        Command::Duplicates(args) => duplicates::run(args, progress),
        Command::Nearest(args) => nearest::run(args, progress),
        Command::Outliers(args) => outliers::run(args, progress),
        Command::Shortcuts(args) => shortcuts::run(args, progress),
        Command::Coverage(args) => coverage::run(args, progress),
        Command::Balance(args) => balance::run(args, progress),
        Command::Leakage(args) => leakage::run(args, progress),
        Command::Propose(args) => propose::run(args, progress),
        Command::Report(args) => report::run(args, progress),
        Command::Apply(args) => apply::run(args, progress),
        Command::Undo(args) => apply::undo(args, progress),
        Command::Gather(args) => gather::run(args, progress),
        Command::Split(args) => split::run(args, progress),
        Command::Verify(args) => verify::run(args, progress),
        Command::Preview(args) => preview::run(args, progress),
        Command::Policy(args) => policy::run(args, progress),
        Command::Review(args) => review::run(args, progress),
        Command::Trial(args) => trial::run(args, progress),
        Command::Pack(args) => pack::run(args, progress),
        Command::Measure(args) => measure::run(args, progress),
        Command::Merge(args) => merge::run(args, progress),
        Command::Catalog(args) => catalog::run(args, progress),
        Command::Limits(args) => limits::run(args),
        Command::Demo(args) => demo::run(args, progress),
    }
}
