//! Files that cannot be stored under their names, as every command that writes a tree reports them.

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::files::RelPath;

use crate::console::safe;
use crate::present::counted;

/// Files that are named without `--all`.
const NAMED: usize = 10;

/// A line for each file, with the reason.
pub fn lines(catalog: &Catalog, skipped: &[(usize, String)], all: bool) -> Vec<String> {
    let shown = if all { skipped.len() } else { NAMED };
    let named = skipped.iter().take(shown);
    let mut lines: Vec<String> = named
        .map(|(at, why)| format!("{}: {}", safe(catalog.records[*at].path.as_str()), safe(why)))
        .collect();
    if skipped.len() > shown {
        lines.push(format!("... {} more", skipped.len() - shown));
    }
    lines
}

/// For people; nothing where nothing was skipped.
pub fn text(catalog: &Catalog, skipped: &[(usize, String)], all: bool) -> String {
    if skipped.is_empty() {
        return String::new();
    }
    let files = counted(skipped.len() as u64, "file was", "files were");
    let mut text = format!("{files} skipped because the name cannot be stored:\n");
    for line in lines(catalog, skipped, all) {
        text.push_str(&format!("  {line}\n"));
    }
    text
}

/// A skipped file as JSON.
#[derive(Serialize)]
pub struct SkippedBody<'a> {
    path: &'a RelPath,
    reason: &'a str,
}

/// The same for programs.
pub fn body<'a>(catalog: &'a Catalog, skipped: &'a [(usize, String)]) -> Vec<SkippedBody<'a>> {
    let body = |(at, reason): &'a (usize, String)| SkippedBody {
        path: &catalog.records[*at].path,
        reason,
    };
    skipped.iter().map(body).collect()
}
