//! Files that cannot be stored under their names: left out and reported, or a reason to stop.

use sieve_core::catalog::Catalog;

use crate::failure::Failure;
use crate::present::skipped::lines;

/// Refuses to leave anything out where the call is strict. `skipped` are the numbers of records, with reasons.
pub fn refuse_skipped(
    is_strict: bool,
    catalog: &Catalog,
    skipped: &[(usize, String)],
) -> Result<(), Failure> {
    if !is_strict || skipped.is_empty() {
        return Ok(());
    }
    let files = crate::present::counted(skipped.len() as u64, "file", "files");
    Err(Failure::input(format!("{files} have names that cannot be stored"))
        .details(lines(catalog, skipped, false))
        .hint("Nothing was written. Omit --strict to write the others."))
}
