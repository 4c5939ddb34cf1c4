//! What can go wrong for a whole call. Trouble with one file is never an [`Error`]: it is a value
//! in the catalog and becomes a finding.

use std::path::PathBuf;

/// Why a call could not be answered at all.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The root of the collection does not exist.
    #[error("there is no folder {}", .path.display())]
    RootMissing {
        /// The path as it was given.
        path: PathBuf,
    },
    /// The root is there but is not a folder.
    #[error("{} is not a folder", .path.display())]
    RootNotAFolder {
        /// The path as it was given.
        path: PathBuf,
    },
    /// The root is a folder that cannot be listed.
    #[error("the folder {} cannot be read: {reason}", .path.display())]
    RootUnreadable {
        /// The path as it was given.
        path: PathBuf,
        /// What the system said.
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
