//! A tree of files that is brought together from a collection: as copies or links, each as it was measured.

use std::collections::HashSet;
use std::fs;
use std::io::{Error, ErrorKind};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard};

use rayon::prelude::*;
use sieve_core::collection::{Collection, Located};
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;
use sieve_core::reading::{self, FileBytes, Pixels, ReadError, ReadLimits};
use sieve_core::record::Record;
use sieve_core::repair::Edit;

use crate::failure::Failure;

/// How files come into the tree.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub enum Link {
    /// As copies
    #[default]
    Copy,
    /// As hard links: no space is used, the same file system is needed
    Hard,
    /// As symbolic links to where the images are
    Soft,
    /// As copies that share their space until one is changed; not every file system can
    Clone,
}

/// A file and its place in the tree.
#[derive(Clone, Debug)]
pub struct Placed<'a> {
    /// What is known of it.
    pub record: &'a Record,
    /// The digest that its bytes must have; none where nobody knows it.
    pub digest: Option<Digest>,
    /// Where it goes, below the root of the tree.
    pub place: PathBuf,
    /// What is done to its content.
    pub edit: Edit,
}

/// How a tree is written.
pub struct Tree<'a> {
    /// The collection that files come from.
    pub collection: &'a Collection,
    /// What one file may cost.
    pub limits: ReadLimits,
    /// How files come into the tree.
    pub link: Link,
    /// The bytes of a PNG of some pixels.
    pub png: fn(&Pixels) -> Vec<u8>,
}

impl Tree<'_> {
    /// Writes every file below `to`. `folders` are made too, whether anything comes into them or not.
    pub fn write(
        &self,
        files: &[Placed<'_>],
        folders: &[&Path],
        to: &Path,
        watch: &dyn Progress,
    ) -> Result<(), Failure> {
        let bytes = files.iter().map(|file| file.record.size_bytes).sum();
        match self.link {
            Link::Hard | Link::Soft => watch.begin("linking", Some(files.len() as u64)),
            Link::Copy | Link::Clone => watch.begin_bytes("writing", bytes),
        }
        let step = |file: &Placed<'_>| match self.link {
            Link::Hard | Link::Soft => 1,
            Link::Copy | Link::Clone => file.record.size_bytes,
        };
        // Folders first, on one thread: the files then only need their parents.
        let parents: HashSet<&Path> = files.iter().filter_map(|file| file.place.parent()).collect();
        for folder in folders.iter().copied().chain(parents) {
            fs::create_dir_all(to.join(folder)).map_err(|error| unwritten(folder, &error))?;
        }
        let failing = Failing { watch, first: Mutex::new(None) };
        // A link needs no bytes: what has the stamp that it was measured with is what was measured.
        let is_linked: Vec<bool> = files
            .par_iter()
            .map(|file| {
                if failing.stopped() || !self.may_link_unread(file) {
                    return false;
                }
                if let Err(failure) = self.place(file, None, to) {
                    failing.lock().get_or_insert(failure);
                }
                watch.advance(step(file));
                true
            })
            .collect();
        let left: Vec<&Placed<'_>> = files
            .iter()
            .zip(is_linked)
            .filter(|(_, is_linked)| !is_linked)
            .map(|(file, _)| file)
            .collect();
        let wanted: Vec<Located<'_>> = left.iter().map(|file| file.record.located()).collect();
        let visited = self.collection.visit(&wanted, &self.limits, &failing, |at, bytes| {
            if let Err(failure) = self.bring(left[at], bytes, to) {
                failing.lock().get_or_insert(failure);
            }
            watch.advance(step(left[at]));
        });
        // The failure is what stopped the visit.
        let first = failing.lock().take();
        first.map_or_else(|| Ok(visited.map(|_| ())?), Err)
    }

    /// Whether a file is to be linked and is still the one that was listed.
    fn may_link_unread(&self, file: &Placed<'_>) -> bool {
        if self.link == Link::Copy || file.edit != Edit::AsIs {
            return false;
        }
        let source = self.collection.file(file.record.located());
        let facts = source.and_then(|file| fs::metadata(file).ok());
        facts.is_some_and(|facts| file.record.is_still(&facts))
    }

    /// Brings one file into the tree if it is still what was measured.
    fn bring(
        &self,
        file: &Placed<'_>,
        bytes: Result<FileBytes, ReadError>,
        to: &Path,
    ) -> Result<(), Failure> {
        let path = &file.record.path;
        let changed = || {
            let message = format!("{path} changed while it was being copied");
            Failure::input(message).hint("Nothing was kept. Run it again.")
        };
        let bytes = match bytes {
            Ok(FileBytes { bytes, .. }) => bytes,
            Err(ReadError::Unreadable(reason)) => {
                return Err(Failure::input(format!("cannot read {path}: {reason}")));
            }
            // An empty file was empty when it was listed.
            Err(ReadError::Empty) if file.record.size_bytes == 0 => {
                return self.place(file, Some(&[]), to);
            }
            Err(ReadError::OverLimit(reason)) => {
                return Err(Failure::input(format!("cannot copy {path}: {reason}"))
                    .hint("--max-file reads larger files."));
            }
            Err(_) => return Err(changed()),
        };
        if file.digest.is_some_and(|digest| Digest::of_bytes(&bytes) != digest) {
            return Err(changed());
        }
        match file.edit {
            Edit::AsIs => self.place(file, Some(&bytes), to),
            Edit::Png => {
                let image = reading::decode(&bytes, &self.limits).map_err(|_| changed())?;
                let target = to.join(&file.place);
                fs::write(&target, (self.png)(&image.pixels))
                    .map_err(|error| unwritten(&file.place, &error))?;
                if let Some(source) = self.collection.file(file.record.located()) {
                    keep_time(&source, &target);
                }
                Ok(())
            }
        }
    }

    /// Puts one file at its place: its bytes, or a link to where it is.
    fn place(&self, file: &Placed<'_>, bytes: Option<&[u8]>, to: &Path) -> Result<(), Failure> {
        let path = &file.record.path;
        let (source, target) = (self.collection.file(file.record.located()), to.join(&file.place));
        let brought = match (self.link, &source) {
            (Link::Copy, _) => fs::write(&target, bytes.unwrap_or_default()),
            // A hard link to a symbolic link would be a symbolic link.
            (Link::Hard, Some(source)) => {
                source.canonicalize().and_then(|source| fs::hard_link(source, &target))
            }
            (Link::Soft, Some(source)) => {
                resolved(source).and_then(|source| soft_link(&source, &target))
            }
            (Link::Clone, Some(source)) => cloned(source, &target),
            (_, None) => {
                return Err(Failure::call(format!("{path} is in an archive and cannot be linked"))
                    .hint("Nothing was kept. Omit --link to write copies."));
            }
        };
        brought.map_err(|error| {
            let failure = unwritten(&file.place, &error);
            match error.kind() {
                _ if self.link == Link::Clone => failure.hint(
                    "Clones need a file system that can share space, such as Btrfs or XFS, and both on it. Omit --link to \
                     write copies.",
                ),
                ErrorKind::CrossesDevices => failure.hint(
                    "Hard links need both on the same file system. Use --link soft, or copies.",
                ),
                _ => failure,
            }
        })?;
        if let (Link::Copy | Link::Clone, Some(source)) = (self.link, source) {
            keep_time(&source, &target);
        }
        Ok(())
    }
}

/// Stops the work at the first failure.
struct Failing<'a> {
    watch: &'a dyn Progress,
    first: Mutex<Option<Failure>>,
}

impl Failing<'_> {
    fn lock(&self) -> MutexGuard<'_, Option<Failure>> {
        self.first.lock().unwrap_or_else(|poisoned| poisoned.into_inner())
    }
}

impl Progress for Failing<'_> {
    fn begin(&self, what: &'static str, total: Option<u64>) {
        self.watch.begin(what, total);
    }

    fn begin_bytes(&self, what: &'static str, total: u64) {
        self.watch.begin_bytes(what, total);
    }

    fn advance(&self, steps: u64) {
        self.watch.advance(steps);
    }

    fn stopped(&self) -> bool {
        self.watch.stopped() || self.lock().is_some()
    }
}

/// The file's own place, from the root of the file system; the file itself may be a link.
fn resolved(file: &Path) -> std::io::Result<PathBuf> {
    let folder = file.parent().unwrap_or(Path::new(".")).canonicalize()?;
    Ok(folder.join(file.file_name().unwrap_or_default()))
}

/// Gives a copy the time of its source: when a picture was taken is often known by it alone. A file
/// system that keeps no times is no reason to fail.
pub(super) fn keep_time(source: &Path, target: &Path) {
    let modified = fs::metadata(source).and_then(|facts| facts.modified());
    let kept =
        modified.and_then(|time| fs::File::options().write(true).open(target)?.set_modified(time));
    if let Err(error) = kept {
        tracing::debug!(target = %target.display(), %error, "time not kept");
    }
}

/// A copy that shares its space with the source.
#[cfg(target_os = "linux")]
fn cloned(source: &Path, target: &Path) -> std::io::Result<()> {
    let (from, to) = (fs::File::open(source)?, fs::File::create_new(target)?);
    Ok(rustix::fs::ioctl_ficlone(&to, &from)?)
}

#[cfg(not(target_os = "linux"))]
fn cloned(_: &Path, _: &Path) -> std::io::Result<()> {
    Err(std::io::ErrorKind::Unsupported.into())
}

#[cfg(unix)]
fn soft_link(source: &Path, target: &Path) -> std::io::Result<()> {
    std::os::unix::fs::symlink(source, target)
}

#[cfg(windows)]
fn soft_link(source: &Path, target: &Path) -> std::io::Result<()> {
    std::os::windows::fs::symlink_file(source, target)
}

/// The folder is still under its temporary name: the place in it says more.
fn unwritten(place: &Path, error: &Error) -> Failure {
    let reason = io_reason(error);
    Failure::output(format!("cannot write {}: {reason}; nothing was kept", place.display()))
}
