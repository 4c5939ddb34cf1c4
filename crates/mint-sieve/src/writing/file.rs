//! One file, written beside its place and renamed when it is whole.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use sieve_core::files::InsidePath;
use sieve_core::io_reason;

use super::staging::Staging;
use crate::failure::Failure;

/// A file that is not there yet.
#[derive(Debug)]
pub struct NewFile {
    path: PathBuf,
    name: InsidePath,
    staging: Staging,
    content: File,
}

impl NewFile {
    /// Makes sure that `path` can be written, before the work whose answer goes there begins.
    pub fn create(path: &Path) -> Result<Self, Failure> {
        if path.symlink_metadata().is_ok() {
            return Err(taken(path));
        }
        let name = super::output_name(path)?;
        let folder = super::parent(path);
        if !folder.is_dir() {
            return Err(Failure::output(format!(
                "there is no folder {} to write to",
                folder.display()
            )));
        }
        let staging = Staging::create(folder).map_err(|error| failed(path, &error))?;
        let content = staging.create_file().map_err(|error| failed(path, &error))?;
        Ok(NewFile { path: path.to_owned(), name, staging, content })
    }

    /// Has `work` write the file, and gives it its name.
    pub fn write_with<T>(self, work: impl FnOnce(File) -> io::Result<T>) -> Result<T, Failure> {
        let content = self.content.try_clone();
        let made = content.and_then(work).and_then(|made| self.content.sync_all().map(|()| made));
        match made {
            Ok(made) => self.publish().map(|()| made),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {
                Err(sieve_core::Error::Interrupted.into())
            }
            Err(error) => Err(failed(&self.path, &error)),
        }
    }

    /// Where the file is until it has its name, for what writes it by name.
    pub fn staged_path(&self) -> PathBuf {
        self.staging.file_path()
    }

    /// Writes the file and gives it its name.
    pub fn write(mut self, bytes: &[u8]) -> Result<(), Failure> {
        let written = self.content.write_all(bytes).and_then(|()| self.content.sync_all());
        written.map_err(|error| failed(&self.path, &error))?;
        self.publish()
    }

    /// Gives the file its name.
    pub fn publish(self) -> Result<(), Failure> {
        self.staging.publish_file(&self.name).map_err(|error| match error.kind() {
            // Another run was faster.
            std::io::ErrorKind::AlreadyExists => taken(&self.path),
            _ => failed(&self.path, &error),
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
