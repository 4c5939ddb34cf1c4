//! The folders of a split: `split/class/image`.

use std::collections::HashSet;
use std::ffi::OsStr;
use std::fs;
use std::io::{Error, ErrorKind};
use std::path::{Component, Path, PathBuf};
use std::sync::{Mutex, MutexGuard};

use rayon::prelude::*;
use sieve_core::collection::{Collection, Located, composed};
use sieve_core::files::shown_name;
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;
use sieve_core::reading::{FileBytes, ReadError, ReadLimits};
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
    pub collection: &'a Collection,
    /// What one file may cost.
    pub limits: ReadLimits,
    /// Which picture goes where.
    pub assignment: &'a Assignment<'a>,
    /// The names of the parts, each a folder; none for one tree of all.
    pub parts: &'a [String],
    /// How pictures come into the tree.
    pub link: Link,
}

impl Tree<'_> {
    /// Writes every picture below `to` as `part/class/image`, each as it was measured.
    pub fn write(&self, to: &Path, watch: &dyn Progress) -> Result<(), Failure> {
        watch.begin("writing images", Some(self.assignment.images.len() as u64));
        let images = &self.assignment.images;
        let places = places(images, self.parts)?;
        // Folders first, on one thread: the files then only need their parents.
        for part in self.parts {
            fs::create_dir_all(to.join(part))
                .map_err(|error| unwritten(Path::new(part), &error))?;
        }
        let folders: HashSet<&Path> = places.iter().filter_map(|place| place.parent()).collect();
        for folder in folders {
            fs::create_dir_all(to.join(folder)).map_err(|error| unwritten(folder, &error))?;
        }
        let failing = Failing { watch, first: Mutex::new(None) };
        // A link needs no bytes: what has the stamp that it was measured with is what was measured.
        let is_linked: Vec<bool> = (0..images.len())
            .into_par_iter()
            .map(|at| {
                if failing.stopped() || !self.may_link_unread(&images[at]) {
                    return false;
                }
                if let Err(failure) = self.place(&images[at], None, &places[at], to) {
                    failing.lock().get_or_insert(failure);
                }
                watch.advance(1);
                true
            })
            .collect();
        let left: Vec<usize> = (0..images.len()).filter(|&at| !is_linked[at]).collect();
        let wanted: Vec<Located<'_>> = left.iter().map(|&at| images[at].record.located()).collect();
        let visited = self.collection.visit(&wanted, &self.limits, &failing, |at, bytes| {
            let at = left[at];
            if let Err(failure) = self.bring(&images[at], bytes, &places[at], to) {
                failing.lock().get_or_insert(failure);
            }
            watch.advance(1);
        });
        // The failure is what stopped the visit.
        let first = failing.lock().take();
        first.map_or_else(|| Ok(visited.map(|_| ())?), Err)
    }

    /// Whether an image is to be linked and its file is still the one that was listed.
    fn may_link_unread(&self, image: &Assigned<'_>) -> bool {
        let source = self.collection.file(image.record.located());
        let facts =
            source.filter(|_| self.link != Link::Copy).and_then(|file| fs::metadata(file).ok());
        facts.is_some_and(|facts| image.record.is_still(&facts))
    }

    /// Brings one picture into the tree if it is still what was measured.
    fn bring(
        &self,
        image: &Assigned<'_>,
        bytes: Result<FileBytes, ReadError>,
        place: &Path,
        to: &Path,
    ) -> Result<(), Failure> {
        let path = &image.record.path;
        let changed = || {
            let message = format!("{path} changed while it was being split");
            Failure::input(message).hint("Nothing was kept. Run it again.")
        };
        let bytes = match bytes {
            Ok(FileBytes { bytes, .. }) => bytes,
            Err(ReadError::Unreadable(reason)) => {
                return Err(Failure::input(format!("cannot read {path}: {reason}")));
            }
            Err(_) => return Err(changed()),
        };
        if Digest::of_bytes(&bytes) != image.digest {
            return Err(changed());
        }
        self.place(image, Some(&bytes), place, to)
    }

    /// Puts one picture at its place: its bytes, or a link to where it is.
    fn place(
        &self,
        image: &Assigned<'_>,
        bytes: Option<&[u8]>,
        place: &Path,
        to: &Path,
    ) -> Result<(), Failure> {
        let path = &image.record.path;
        let (source, target) = (self.collection.file(image.record.located()), to.join(place));
        let brought = match (self.link, &source) {
            (Link::Copy, _) => fs::write(&target, bytes.unwrap_or_default()),
            // A hard link to a symbolic link would be a symbolic link.
            (Link::Hard, Some(source)) => {
                source.canonicalize().and_then(|source| fs::hard_link(source, &target))
            }
            (Link::Soft, Some(source)) => {
                resolved(source).and_then(|source| soft_link(&source, &target))
            }
            (_, None) => {
                return Err(Failure::call(format!("{path} is in an archive and cannot be linked"))
                    .hint("Nothing was kept. Omit --link to write copies."));
            }
        };
        brought.map_err(|error| {
            let failure = unwritten(place, &error);
            match error.kind() {
                ErrorKind::CrossesDevices => failure.hint(
                    "Hard links need both on the same file system. Use --link soft, or copies.",
                ),
                _ => failure,
            }
        })?;
        if let (Link::Copy, Some(source)) = (self.link, source) {
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

    fn advance(&self, steps: u64) {
        self.watch.advance(steps);
    }

    fn stopped(&self) -> bool {
        self.watch.stopped() || self.lock().is_some()
    }
}

/// Where each picture stands in the tree: in the folder of its part and class, and in the folders
/// below that which it lay in. Folders that hold all pictures are left away.
fn places(images: &[Assigned<'_>], parts: &[String]) -> Result<Vec<PathBuf>, Failure> {
    let wrapping = wrapping_folders(images);
    let mut taken = HashSet::new();
    let place = |image: &Assigned<'_>| {
        let native = image.record.path.native();
        // What an earlier split said by folders is said anew.
        let earlier = image.record.split().map_or(0, |_| usize::from(image.record.place.base));
        let mut names: Vec<&OsStr> = native.iter().skip(wrapping.max(earlier)).collect();
        let file = names.pop().unwrap_or_default();
        let is_class = |name: &&OsStr| composed(&shown_name(name)) == image.class;
        let class = match names.iter().position(is_class) {
            // A name that is not UTF-8 goes over as it is.
            Some(at) => Some(names.remove(at)).filter(|name| name.to_str().is_none()),
            None => None,
        };
        let class = class.unwrap_or(OsStr::new(image.class));
        if !matches!(Path::new(class).components().collect::<Vec<_>>()[..], [Component::Normal(_)])
        {
            let message = format!("the class {:?} cannot be the name of a folder", image.class);
            return Err(Failure::call(message).hint("Use --out to write only a split table."));
        }
        let part = parts.get(image.part).map_or("", String::as_str);
        let folder = Path::new(part).join(class).join(names.iter().collect::<PathBuf>());
        let mut place = folder.join(file);
        let mut copies = 1;
        while !taken.insert(place.clone()) {
            copies += 1;
            let (stem, extension) = (Path::new(file).file_stem(), Path::new(file).extension());
            let mut name = stem.unwrap_or_default().to_owned();
            name.push(format!("-{copies}"));
            if let Some(extension) = extension {
                name.push(".");
                name.push(extension);
            }
            place = folder.join(name);
        }
        Ok(place)
    };
    images.iter().map(place).collect()
}

/// How many folders, from the outermost, hold all the pictures and are no class of one.
fn wrapping_folders(images: &[Assigned<'_>]) -> usize {
    let folders = |image: &Assigned<'_>| -> Vec<String> {
        let path = &image.record.path;
        let mut parts: Vec<String> = path.parts().map(str::to_owned).collect();
        parts.pop();
        let class = parts.iter().position(|part| composed(part) == image.class);
        parts.truncate(class.unwrap_or(parts.len()));
        parts
    };
    let Some((first, rest)) = images.split_first() else { return 0 };
    let mut common = folders(first);
    for image in rest {
        if common.is_empty() {
            break;
        }
        let these = folders(image);
        let same = common.iter().zip(&these).take_while(|(a, b)| a == b).count();
        common.truncate(same);
    }
    common.len()
}

/// The file's own place, from the root of the file system; the file itself may be a link.
fn resolved(file: &Path) -> std::io::Result<PathBuf> {
    let folder = file.parent().unwrap_or(Path::new(".")).canonicalize()?;
    Ok(folder.join(file.file_name().unwrap_or_default()))
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

/// The folder is still under its temporary name: the place in it says more.
fn unwritten(place: &Path, error: &Error) -> Failure {
    let reason = io_reason(error);
    Failure::output(format!("cannot write {}: {reason}; nothing was kept", place.display()))
}
