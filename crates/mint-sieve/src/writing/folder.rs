//! One folder, filled beside its place and renamed when it is whole.

use std::fs;
use std::path::{Path, PathBuf};

use sieve_core::files::{InsidePath, Root};
use sieve_core::io_reason;
use sieve_core::objects::is_bucket;
use sieve_core::progress::Progress;

use super::staging::Staging;
use crate::failure::Failure;
use crate::object_storage::{Access, Upload};

/// A folder that is not there yet, or is empty.
#[derive(Debug)]
pub struct NewFolder {
    path: PathBuf,
    name: InsidePath,
    staging: Staging,
    content: Root,
    /// Where the folder is sent to, instead of getting its name.
    upload: Option<Upload>,
}

impl NewFolder {
    /// Makes sure that `path` can become a folder, before the work that fills it begins.
    pub fn create(path: &Path) -> Result<Self, Failure> {
        let shown = path.display();
        let mut place = path.to_owned();
        match fs::read_dir(path).map(|mut entries| entries.next().is_none()) {
            // What replaces an empty folder must stand where that is, not where a link to it is.
            Ok(true) => place = path.canonicalize().unwrap_or(place),
            Ok(false) => return Err(taken(path)),
            Err(_) if path.symlink_metadata().is_ok() => {
                return Err(Failure::output(format!("{shown} exists and is not a folder"))
                    .hint("Nothing was written. Choose another name."));
            }
            Err(_) => {}
        }
        let name = super::output_name(&place)?;
        let parent = super::parent(&place);
        let failed = |error: std::io::Error| {
            let reason = io_reason(&error);
            Failure::output(format!("cannot write to {}: {reason}", parent.display()))
        };
        fs::create_dir_all(parent).map_err(failed)?;
        // Beside its place, so that the last step is a rename on one file system.
        let staging = Staging::create(parent).map_err(failed)?;
        let content = staging.create_folder().map_err(failed)?;
        Ok(NewFolder { path: path.to_owned(), name, staging, content, upload: None })
    }

    /// The same, or a folder that is sent to a prefix of a bucket when it is kept; until then it lies in the system's folder
    /// for temporary files.
    pub fn create_anywhere(path: &Path, access: &Access) -> Result<Self, Failure> {
        if !is_bucket(path) {
            return NewFolder::create(path);
        }
        let shown = path.display();
        let address = path.to_string_lossy();
        let upload = Upload::begin(&address, access).map_err(|why| {
            Failure::output(format!("cannot write to {shown}: {why}")).hint("Nothing was written.")
        })?;
        let parent = std::env::temp_dir();
        let failed = |error: std::io::Error| {
            let reason = io_reason(&error);
            Failure::output(format!("cannot write to {}: {reason}", parent.display()))
        };
        let name = InsidePath::of_name("upload").expect("a fixed name");
        let staging = Staging::create(&parent).map_err(failed)?;
        // Others may read the folder for temporary files, but not the images in it.
        staging.make_private().map_err(failed)?;
        let content = staging.create_folder().map_err(failed)?;
        Ok(NewFolder { path: path.to_owned(), name, staging, content, upload: Some(upload) })
    }

    /// Gives the folder its name, or sends it away.
    pub fn keep_anywhere(self, progress: &dyn Progress) -> Result<(), Failure> {
        let Some(upload) = &self.upload else { return self.keep() };
        upload.send(self.content.path(), progress).map_err(|why| match progress.stopped() {
            true => sieve_core::Error::Interrupted.into(),
            false => Failure::output(format!("cannot write to {}: {why}", self.path.display()))
                .hint("What had been sent was removed, as far as the store could be reached."),
        })
    }

    /// What the folder is filled through until it is kept.
    pub fn root(&self) -> &Root {
        &self.content
    }

    /// Gives the folder its name.
    pub fn keep(self) -> Result<(), Failure> {
        self.staging.publish_folder(&self.name).map_err(|error| {
            use std::io::ErrorKind;
            // Another run was faster.
            if [ErrorKind::DirectoryNotEmpty, ErrorKind::AlreadyExists].contains(&error.kind()) {
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
