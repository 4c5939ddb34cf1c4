//! One folder, filled under a temporary name and renamed when it is whole.

use std::fs::{self, File};
use std::path::{Path, PathBuf};

use sieve_core::io_reason;
use tempfile::TempDir;

use super::leftover;
use crate::failure::Failure;

/// A folder that is not there yet, or is empty.
#[derive(Debug)]
pub struct NewFolder {
    path: PathBuf,
    /// Removed with all it holds unless the folder was kept.
    temporary: TempDir,
    /// Holds the lock of the temporary folder.
    _lock: Option<File>,
}

impl NewFolder {
    /// Makes sure that `path` can become a folder, before the work that fills it begins.
    pub fn create(path: &Path) -> Result<Self, Failure> {
        let shown = path.display();
        match fs::read_dir(path).map(|mut entries| entries.next().is_none()) {
            Ok(true) => {}
            Ok(false) => return Err(taken(path)),
            Err(_) if path.symlink_metadata().is_ok() => {
                return Err(Failure::output(format!("{shown} exists and is not a folder"))
                    .hint("Nothing was written. Choose another name."));
            }
            Err(_) => {}
        }
        let parent = super::parent(path);
        let failed = |error: std::io::Error| {
            let reason = io_reason(&error);
            Failure::output(format!("cannot write to {}: {reason}", parent.display()))
        };
        fs::create_dir_all(parent).map_err(failed)?;
        leftover::sweep(parent);
        loop {
            // Beside its place, so that the last step is a rename on one file system.
            let temporary = tempfile::Builder::new().prefix(leftover::PREFIX).tempdir_in(parent);
            let temporary = temporary.map_err(failed)?;
            // Not every system opens folders.
            let lock = File::open(temporary.path()).ok();
            if lock.as_ref().is_none_or(|lock| leftover::locked(lock, temporary.path())) {
                fs::create_dir(temporary.path().join(leftover::INNER)).map_err(failed)?;
                return Ok(NewFolder { path: path.to_owned(), temporary, _lock: lock });
            }
        }
    }

    /// Where to write until the folder is kept.
    pub fn path(&self) -> PathBuf {
        // One deeper: the outer folder is for this user's eyes only, the inner one like any other.
        self.temporary.path().join(leftover::INNER)
    }

    /// Gives the folder its name.
    pub fn keep(self) -> Result<(), Failure> {
        fs::rename(self.path(), &self.path).map_err(|error| {
            // Another run was faster.
            if error.kind() == std::io::ErrorKind::DirectoryNotEmpty {
                return taken(&self.path);
            }
            let reason = io_reason(&error);
            Failure::output(format!("cannot write {}: {reason}", self.path.display()))
        })
    }
}

fn taken(path: &Path) -> Failure {
    Failure::output(format!("{} exists and is not empty", path.display()))
        .hint("Nothing was written. Choose another folder, or move this one away.")
}
