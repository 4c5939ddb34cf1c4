//! One file, written under a temporary name and renamed when it is whole.

use std::io::Write;
use std::path::{Path, PathBuf};

use sieve_core::io_reason;
use tempfile::NamedTempFile;

use super::leftover;
use crate::failure::Failure;

/// A file that is not there yet.
#[derive(Debug)]
pub struct NewFile {
    path: PathBuf,
    temporary: NamedTempFile,
}

impl NewFile {
    /// Makes sure that `path` can be written, before the work whose answer goes there begins.
    pub fn create(path: &Path) -> Result<Self, Failure> {
        if path.symlink_metadata().is_ok() {
            return Err(taken(path));
        }
        let folder = super::parent(path);
        if !folder.is_dir() {
            return Err(Failure::output(format!(
                "there is no folder {} to write to",
                folder.display()
            )));
        }
        leftover::sweep(folder);
        let mut builder = tempfile::Builder::new();
        builder.prefix(leftover::PREFIX);
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // As any other new file; the system takes away what the user's mask forbids.
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        loop {
            let temporary = builder.tempfile_in(folder).map_err(|error| failed(path, &error))?;
            if leftover::locked(temporary.as_file(), temporary.path()) {
                return Ok(NewFile { path: path.to_owned(), temporary });
            }
        }
    }

    /// Writes the file and gives it its name.
    pub fn write(mut self, bytes: &[u8]) -> Result<(), Failure> {
        let file = self.temporary.as_file_mut();
        let written = file.write_all(bytes).and_then(|()| file.sync_all());
        written.map_err(|error| failed(&self.path, &error))?;
        let kept = self.temporary.persist_noclobber(&self.path);
        kept.map(|_| ()).map_err(|error| match error.error.kind() {
            // Another run was faster.
            std::io::ErrorKind::AlreadyExists => taken(&self.path),
            _ => failed(&self.path, &error.error),
        })
    }
}

fn taken(path: &Path) -> Failure {
    Failure::output(format!("{} exists already", path.display()))
        .hint("Nothing was written. Choose another name or move it away.")
}

fn failed(path: &Path, error: &std::io::Error) -> Failure {
    Failure::output(format!("cannot write {}: {}", path.display(), io_reason(error)))
}
