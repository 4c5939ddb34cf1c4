//! `verify`: whether a split is still what its table says, or a pack what its checksums say.

use std::path::{Path, PathBuf};

use sieve_core::collection::{self, NoCache, Request};
use sieve_core::pack::{CHECKSUMS, verify_pack};
use sieve_core::reading::ReadLimits;
use sieve_core::splitting::{SplitTable, verify};

use super::{Answer, Output};
use crate::args::VerifyArgs;
use crate::failure::{Exit, Failure};
use crate::present::verify::{Verified, VerifiedPack};
use crate::progress::{self, TerminalProgress};

/// Answers `verify`.
pub fn run(args: &VerifyArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    if args.table.is_dir() {
        return pack(args, progress);
    }
    let shown = args.table.display();
    let table = SplitTable::read(&args.table).map_err(|reason| {
        Failure::input(format!("the split table {shown} cannot be used: {reason}"))
    })?;
    let folder = args.folder.clone().unwrap_or_else(|| beside(&args.table));
    let request = Request { follow_links: true, ..Request::at(&folder) };
    let collection = collection::open(&request, &NoCache, progress)?;
    let verdict = verify(&table, &collection, &limits(), progress)?;
    progress.end();
    let answer = Verified { table: &args.table, all: args.all, folder: &folder, verdict: &verdict };
    let output = Output::of_table(&answer, args.format);
    Ok(Answer { output, exit: if verdict.is_sound() { Exit::Done } else { Exit::Finding } })
}

/// Answers `verify` about a pack.
fn pack(args: &VerifyArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let folder = &args.table;
    if args.folder.is_some() || !folder.join(CHECKSUMS).is_file() {
        let shown = folder.display();
        return Err(Failure::call(format!("{shown} is a folder without {CHECKSUMS}: not a pack"))
            .hint("Name a split table (SPLIT.csv), or a folder that `pack` wrote."));
    }
    let verdict = verify_pack(folder, &limits(), progress)?;
    progress.end();
    let answer = VerifiedPack { folder, all: args.all, verdict: &verdict };
    let output = Output::of_table(&answer, args.format);
    Ok(Answer { output, exit: if verdict.is_sound() { Exit::Done } else { Exit::Finding } })
}

fn limits() -> ReadLimits {
    ReadLimits { stopped: progress::is_stopped, ..ReadLimits::default() }
}

/// The folder that a file lies in.
fn beside(file: &Path) -> PathBuf {
    match file.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder.to_path_buf(),
        _ => PathBuf::from("."),
    }
}
