//! `merge`: one catalog of all parts.

use sieve_core::catalog_table::merge;
use sieve_core::store::Store;

use super::{Answer, Output};
use crate::args::MergeArgs;
use crate::failure::Failure;
use crate::present::scale::Merged;
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `merge`.
pub fn run(args: &MergeArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let file = NewFile::create(&args.to)?;
    let unusable =
        |why: String| Failure::output(format!("cannot write {}: {why}", args.to.display()));
    let (mut store, _) =
        Store::open(&file.staged_path()).map_err(|error| unusable(error.to_string()))?;
    let report = merge(&args.parts, &mut store, progress)?;
    progress.end();
    store.close().map_err(|error| unusable(error.to_string()))?;
    file.publish()?;
    let answer = Merged { parts: &args.parts, to: &args.to, report: &report };
    Ok(Answer::done(Output::of(&answer, args.format)))
}
