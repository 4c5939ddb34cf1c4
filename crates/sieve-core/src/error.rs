//! What can go wrong for a whole call. Trouble with one file is never an [`Error`]: it is a value
//! in the catalog and becomes a finding.

use std::path::PathBuf;

/// Why a call could not be answered at all.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The root of the collection does not exist.
    #[error("there is no folder or file {}", .path.display())]
    RootMissing {
        /// The path as it was given.
        path: PathBuf,
    },
    /// The root is there but is nothing that is read as a collection.
    #[error("{} is not a folder, archive (ZIP, tar, tar.gz, tar.zst) or table (CSV, JSON Lines)", .path.display())]
    RootUnknown {
        /// The path as it was given.
        path: PathBuf,
    },
    /// A part of a catalog cannot be merged.
    #[error("the part {} cannot be merged: {reason}", .path.display())]
    PartUnusable {
        /// The part.
        path: PathBuf,
        /// Why not, as the end of a sentence.
        reason: String,
    },
    /// Not all parts of a catalog were given.
    #[error("of {of} parts, these are missing: {}", part_numbers(.missing))]
    PartsMissing {
        /// The numbers of those that are missing.
        missing: Vec<u32>,
        /// How many there are.
        of: u32,
    },
    /// The root is a table that does not hold what is needed.
    #[error("the table {} cannot be used: {reason}", .path.display())]
    TableUnreadable {
        /// The path as it was given.
        path: PathBuf,
        /// What is wrong with it, and where.
        reason: String,
    },
    /// The root is a table without a column that is needed.
    #[error("the table {} cannot be used: it has no column {column:?}; it has {}", .path.display(), .there.join(", "))]
    NoColumn {
        /// The path as it was given.
        path: PathBuf,
        /// The column that is not there.
        column: String,
        /// The columns that are there.
        there: Vec<String>,
        /// What is needed beside paths: `class` or `split`.
        needed: &'static str,
    },
    /// A folder that was named as a split is not there.
    #[error("there is no folder {name:?} to use as a split; the folders are {}", .there.join(", "))]
    NoSplitFolder {
        /// The name that was given.
        name: String,
        /// The folders that are there.
        there: Vec<String>,
    },
    /// The root cannot be listed.
    #[error("{} cannot be read: {reason}", .path.display())]
    RootUnreadable {
        /// The path as it was given.
        path: PathBuf,
        /// What the system said.
        reason: String,
    },
    /// The folder is no pack, or its checksums cannot be used.
    #[error("the pack {} cannot be verified: {reason}", .path.display())]
    PackUnusable {
        /// The path as it was given.
        path: PathBuf,
        /// What is wrong with it.
        reason: String,
    },
    /// The caller asked to stop; nothing was lost.
    #[error("stopped on request")]
    Interrupted,
}

/// What the system said, without the number of the error and without the temporary names that
/// libraries add: neither says anything to people.
pub fn io_reason(error: &std::io::Error) -> String {
    let wrapped = error.get_ref().and_then(|inner| inner.source());
    if let Some(inner) = wrapped.and_then(|source| source.downcast_ref()) {
        return io_reason(inner);
    }
    let text = error.to_string();
    match text.rfind(" (os error ") {
        Some(at) => text[..at].to_owned(),
        None => text,
    }
}

/// The first few numbers of parts, for an error.
fn part_numbers(numbers: &[u32]) -> String {
    const MOST: usize = 12;
    let shown: Vec<String> = numbers.iter().take(MOST).map(u32::to_string).collect();
    let more = numbers.len().saturating_sub(MOST);
    let rest = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("{}{rest}", shown.join(", "))
}
