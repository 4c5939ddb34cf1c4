//! `verify`: whether a split is still what its table says.

use std::path::{Path, PathBuf};

use sieve_core::collection::{self, NoCache, Request};
use sieve_core::reading::ReadLimits;
use sieve_core::splitting::{SplitTable, verify};

use super::{Answer, Output};
use crate::args::VerifyArgs;
use crate::failure::{Exit, Failure};
use crate::present::verify::Verified;
use crate::progress::{self, TerminalProgress};

/// Answers `verify`.
pub fn run(args: &VerifyArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let shown = args.table.display();
    let table = SplitTable::read(&args.table).map_err(|reason| {
        Failure::input(format!("the split table {shown} cannot be used: {reason}"))
    })?;
    let folder = args.folder.clone().unwrap_or_else(|| beside(&args.table));
    let request = Request { follow_links: true, ..Request::at(&folder) };
    let collection = collection::open(&request, &NoCache, progress)?;
    let limits = ReadLimits { stopped: progress::is_stopped, ..ReadLimits::default() };
    let verdict = verify(&table, &collection, &limits, progress)?;
    progress.end();
    let answer = Verified { table: &args.table, all: args.all, folder: &folder, verdict: &verdict };
    let output = Output::of_table(&answer, args.format);
    Ok(Answer { output, exit: if verdict.is_sound() { Exit::Done } else { Exit::Finding } })
}

/// The folder that a file lies in.
fn beside(file: &Path) -> PathBuf {
    match file.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_path_buf(),
        _ => PathBuf::from("."),
    }
}
