//! What a run that was killed has left behind: found beside an output, and removed.
//!
//! Whatever is written under a temporary name is locked while its run lives; the system takes the lock away
//! with the run, however that ends. What is not locked has nobody who still writes it.

use std::fs::{self, File};
use std::io;
use std::path::Path;

use crate::console::warn;

/// How temporary names begin; six letters or digits follow.
pub const PREFIX: &str = ".mint-sieve-";
/// The folder in a temporary folder that becomes the output.
pub const INNER: &str = "folder";

/// Locks what was just made at `path` for as long as the returned file is open. False when another run has taken it
/// for a leftover in the meantime: then another one is to be made.
pub fn locked(file: &File, path: &Path) -> bool {
    match file.try_lock() {
        // Where the file system knows no locks, none is taken, and nothing there is ever removed.
        Err(fs::TryLockError::Error(_)) => true,
        Err(fs::TryLockError::WouldBlock) => false,
        Ok(()) => path.symlink_metadata().is_ok(),
    }
}

/// Removes the leftovers in `folder`, and says so.
pub fn sweep(folder: &Path) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let name = name.to_string_lossy();
        let is_ours = name.strip_prefix(PREFIX).is_some_and(|rest| {
            rest.len() == 6 && rest.bytes().all(|byte| byte.is_ascii_alphanumeric())
        });
        let path = entry.path();
        if is_ours && removed(&path).unwrap_or(false) {
            warn(&format!("removed {}, left behind by a run that was interrupted", path.display()));
        }
    }
}

/// Removes what is at `path` if it is a leftover.
fn removed(path: &Path) -> io::Result<bool> {
    let facts = path.symlink_metadata()?;
    if !(facts.is_file() || facts.is_dir() && holds_nothing_else(path)?) {
        return Ok(false);
    }
    let opened = File::open(path)?;
    if opened.try_lock().is_err() {
        return Ok(false);
    }
    if facts.is_dir() {
        fs::remove_dir_all(path)?
    } else {
        fs::remove_file(path)?
    }
    Ok(true)
}

/// Whether a folder is one of ours inside, too.
fn holds_nothing_else(folder: &Path) -> io::Result<bool> {
    let mut entries = fs::read_dir(folder)?;
    Ok(entries.all(|entry| entry.is_ok_and(|entry| entry.file_name() == INNER)))
}
