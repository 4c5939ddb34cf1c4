//! The folders of a split: `split/class/picture`.

use std::fs;
use std::io::{Error, ErrorKind};
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Watch;
use sieve_core::splitting::{Assigned, Assignment};

use crate::failure::Failure;

/// How pictures come into the tree.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub enum Link {
    /// As copies
    #[default]
    Copy,
    /// As hard links: no space is used, the same file system is needed
    Hard,
    /// As symbolic links to where the pictures are
    Soft,
}

/// A split to be written as folders.
pub struct Tree<'a> {
    /// The collection.
    pub root: &'a Path,
    /// Which picture goes where.
    pub assignment: &'a Assignment<'a>,
    /// The names of the parts.
    pub parts: &'a [String],
    /// How pictures come into the tree.
    pub link: Link,
}

impl Tree<'_> {
    /// Writes every picture below `to` as `part/class/picture`, each as it was measured.
    pub fn write(&self, to: &Path, watch: &dyn Watch) -> Result<(), Failure> {
        watch.begin("writing pictures", Some(self.assignment.images.len() as u64));
        let root = self.root.canonicalize().map_err(|error| unread(self.root, &error))?;
        // Folders first, on one thread: the files then only need their parents.
        for part in self.parts {
            fs::create_dir_all(to.join(part)).map_err(|error| unwritten(part, &error))?;
        }
        for image in &self.assignment.images {
            let target = to.join(self.place(image));
            let folder = target.parent().unwrap_or(to);
            fs::create_dir_all(folder).map_err(|error| self.unwritten(image, &error))?;
        }
        self.assignment.images.par_iter().try_for_each(|image| {
            if watch.stopped() {
                return Err(sieve_core::Error::Interrupted.into());
            }
            let source = root.join(image.record.path.native());
            self.bring(image, &source, &to.join(self.place(image)))?;
            watch.advance(1);
            Ok(())
        })
    }

    /// Where a picture stands in the tree.
    fn place(&self, image: &Assigned<'_>) -> PathBuf {
        Path::new(&self.parts[image.part]).join(image.record.path.native())
    }

    /// Brings one picture into the tree if it is still what was measured.
    fn bring(&self, image: &Assigned<'_>, source: &Path, target: &Path) -> Result<(), Failure> {
        let bytes = fs::read(source).map_err(|error| unread(source, &error))?;
        if Digest::of(&bytes) != image.digest {
            let message = format!("{} changed while it was being split", image.record.path);
            return Err(Failure::input(message).hint("Nothing was kept. Run it again."));
        }
        let brought = match self.link {
            Link::Copy => fs::write(target, &bytes),
            // A hard link to a symbolic link would be a symbolic link.
            Link::Hard => source.canonicalize().and_then(|source| fs::hard_link(source, target)),
            Link::Soft => soft_link(source, target),
        };
        brought.map_err(|error| self.unwritten(image, &error))?;
        if self.link == Link::Copy {
            keep_time(source, target);
        }
        Ok(())
    }

    fn unwritten(&self, image: &Assigned<'_>, error: &Error) -> Failure {
        let failure = unwritten(&self.place(image).to_string_lossy(), error);
        match error.kind() {
            ErrorKind::CrossesDevices => failure
                .hint("Hard links need the pictures on the same disk. Use --link soft or copies."),
            _ => failure,
        }
    }
}

/// Gives a copy the time of its source: when a picture was taken is often known by it alone. A file
/// system that keeps no times is no reason to fail.
fn keep_time(source: &Path, target: &Path) {
    let modified = fs::metadata(source).and_then(|facts| facts.modified());
    let kept =
        modified.and_then(|time| fs::File::options().write(true).open(target)?.set_modified(time));
    if let Err(error) = kept {
        tracing::debug!(target = %target.display(), %error, "time not kept");
    }
}

#[cfg(unix)]
fn soft_link(source: &Path, target: &Path) -> std::io::Result<()> {
    std::os::unix::fs::symlink(source, target)
}

#[cfg(windows)]
fn soft_link(source: &Path, target: &Path) -> std::io::Result<()> {
    std::os::windows::fs::symlink_file(source, target)
}

fn unread(path: &Path, error: &Error) -> Failure {
    Failure::input(format!("cannot read {}: {}", path.display(), io_reason(error)))
}

/// The folder is still under its temporary name: the place in it says more.
fn unwritten(place: &str, error: &Error) -> Failure {
    Failure::output(format!("cannot write {place}: {}; nothing was kept", io_reason(error)))
}
