//! One folder, filled under a temporary name and renamed when it is whole.

use std::fs;
use std::path::{Path, PathBuf};

use sieve_core::io_reason;
use tempfile::TempDir;

use crate::failure::Failure;

/// A folder that is not there yet, or is empty.
#[derive(Debug)]
pub struct NewFolder {
    path: PathBuf,
    /// Removed with all it holds unless the folder was kept.
    temporary: TempDir,
}

impl NewFolder {
    /// Makes sure that `path` can become a folder, before the work that fills it begins.
    pub fn create(path: &Path) -> Result<Self, Failure> {
        let shown = path.display();
        match fs::read_dir(path).map(|mut entries| entries.next().is_none()) {
            Ok(true) => {}
            Ok(false) => {
                return Err(Failure::output(format!("{shown} exists and is not empty"))
                    .hint("Nothing was written. Choose another folder, or move this one away."));
            }
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
        // Beside its place, so that the last step is a rename on one file system.
        let temporary = tempfile::Builder::new().prefix(".mint-sieve-").tempdir_in(parent);
        let temporary = temporary.map_err(failed)?;
        fs::create_dir(temporary.path().join("folder")).map_err(failed)?;
        Ok(NewFolder { path: path.to_owned(), temporary })
    }

    /// Where to write until the folder is kept.
    pub fn path(&self) -> PathBuf {
        // One deeper: the outer folder is for this user's eyes only, the inner one like any other.
        self.temporary.path().join("folder")
    }

    /// Gives the folder its name.
    pub fn keep(self) -> Result<(), Failure> {
        fs::rename(self.path(), &self.path).map_err(|error| {
            let reason = io_reason(&error);
            Failure::output(format!("cannot write {}: {reason}", self.path.display()))
        })
    }
}
