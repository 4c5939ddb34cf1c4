//! A tree of files that is brought together from a collection: as copies or links, each as it was measured.

use std::collections::{BTreeSet, HashMap};
use std::io::{Error, ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard};

use rayon::prelude::*;
use sieve_core::collection::{Collection, Located, SourceFile};
use sieve_core::files::{FileKind, InsidePath, Root};
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;
use sieve_core::reading::{self, FileBytes, Pixels, ReadError, ReadLimits};
use sieve_core::record::Record;
use sieve_core::repair::Edit;

use super::attributes;
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
    pub place: InsidePath,
    /// What is done to its content.
    pub edit: Edit,
}

/// A file that the file system cannot store under its name, and why: the number that it has among the files.
pub type Skipped = (usize, String);

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
    /// Writes every file below `to`, and returns those that it cannot store. `folders` are made too, whether anything
    /// comes into them or not.
    pub fn write(
        &self,
        files: &[Placed<'_>],
        folders: &[InsidePath],
        to: &Root,
        watch: &dyn Progress,
    ) -> Result<Vec<Skipped>, Failure> {
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
        let parents: BTreeSet<InsidePath> = files
            .iter()
            .filter_map(|file| file.place.parent())
            .chain(folders.iter().cloned())
            .collect();
        let mut unstorable: HashMap<InsidePath, String> = HashMap::new();
        for folder in &parents {
            match to.create_folders(folder) {
                Err(error) if is_about_the_name(&error) => {
                    unstorable.insert(folder.clone(), io_reason(&error));
                }
                made => made.map_err(|error| unwritten(folder, &error))?,
            }
        }
        let failing = Failing { watch, first: Mutex::new(None) };
        let handles = Handles { targets: Folders::new(to), sources: Mutex::default() };
        let skipped: Mutex<Vec<Skipped>> = Mutex::default();
        let settle = |at: usize, brought: Result<(), Trouble>| {
            match brought {
                Ok(()) => {}
                Err(Trouble::Name(why)) => lock(&skipped).push((at, why)),
                Err(Trouble::Failure(failure)) => {
                    failing.lock().get_or_insert(failure);
                }
            }
            watch.advance(step(&files[at]));
        };
        let no_folder = |file: &Placed<'_>| unstorable.get(&file.place.parent()?).cloned();
        // A link needs no bytes: what has the stamp that it was measured with is what was measured.
        let is_settled: Vec<bool> = files
            .par_iter()
            .enumerate()
            .map(|(at, file)| {
                if failing.stopped() {
                    return false;
                }
                if let Some(why) = no_folder(file) {
                    settle(at, Err(Trouble::Name(why)));
                    return true;
                }
                let may_link = self.may_link_unread(file, &handles);
                if may_link {
                    settle(at, self.place(file, None, &handles));
                }
                may_link
            })
            .collect();
        let left: Vec<usize> = (0..files.len()).filter(|&at| !is_settled[at]).collect();
        let wanted: Vec<Located<'_>> = left.iter().map(|&at| files[at].record.located()).collect();
        let visited = self.collection.visit(&wanted, &self.limits, &failing, |number, bytes| {
            let at = left[number];
            settle(at, self.bring(&files[at], bytes, &handles));
        });
        // The failure is what stopped the visit.
        if let Some(failure) = failing.lock().take() {
            return Err(failure);
        }
        visited?;
        self.copy_folder_attributes(files, &parents, to);
        let mut skipped = skipped.into_inner().unwrap_or_else(|poisoned| poisoned.into_inner());
        skipped.sort();
        Ok(skipped)
    }

    /// Whether a file is to be linked and is still the one that was listed.
    fn may_link_unread(&self, file: &Placed<'_>, handles: &Handles<'_>) -> bool {
        if self.link == Link::Copy || file.edit != Edit::AsIs {
            return false;
        }
        let Some(source) = self.collection.file(file.record.located()) else { return false };
        let stamp = match handles.source(&source) {
            Some((folder, name)) => folder.facts(&name).map(|facts| facts.stamp()),
            None => source.stamp(),
        };
        stamp.is_ok_and(|stamp| file.record.is_still(stamp))
    }

    /// Brings one file into the tree if it is still what was measured.
    fn bring(
        &self,
        file: &Placed<'_>,
        bytes: Result<FileBytes, ReadError>,
        handles: &Handles<'_>,
    ) -> Result<(), Trouble> {
        let path = &file.record.path;
        let changed = || {
            let message = format!("{path} changed while it was being copied");
            Failure::input(message).hint("Nothing was written. Run the command again.")
        };
        let bytes = match bytes {
            Ok(FileBytes { bytes, .. }) => bytes,
            Err(ReadError::Unreadable(reason)) => {
                return Err(Failure::input(format!("cannot read {path}: {reason}")).into());
            }
            // An empty file was empty when it was listed.
            Err(ReadError::Empty) if file.record.size_bytes == 0 => {
                return self.place(file, Some(&[]), handles);
            }
            Err(ReadError::OverLimit(reason)) => {
                return Err(Failure::input(format!("cannot copy {path}: {reason}"))
                    .hint("Raise --max-file to read larger files.")
                    .into());
            }
            Err(_) => return Err(changed().into()),
        };
        if file.digest.is_some_and(|digest| Digest::of_bytes(&bytes) != digest) {
            return Err(changed().into());
        }
        match file.edit {
            Edit::AsIs => self.place(file, Some(&bytes), handles),
            Edit::Png => {
                let image = reading::decode(&bytes, &self.limits).map_err(|_| changed())?;
                self.write_file(file, &(self.png)(&image.pixels), handles)
                    .map_err(|error| unplaced(file, &error))
            }
        }
    }

    /// Puts one file at its place: its bytes, or a link to where it is.
    fn place(
        &self,
        file: &Placed<'_>,
        bytes: Option<&[u8]>,
        handles: &Handles<'_>,
    ) -> Result<(), Trouble> {
        let source = self.collection.file(file.record.located());
        let brought = match (self.link, &source) {
            (Link::Copy, _) => self.write_file(file, bytes.unwrap_or_default(), handles),
            (Link::Hard, Some(source)) => hard_link(source, file, handles),
            (Link::Soft, Some(source)) => handles
                .targets
                .at(&file.place)
                .and_then(|(folder, name)| folder.create_link(&resolved(source)?, &name)),
            (Link::Clone, Some(source)) => clone(source, file, handles),
            (_, None) => {
                let path = &file.record.path;
                return Err(Failure::call(format!("{path} is in an archive and cannot be linked"))
                    .hint("Nothing was written. Omit --link to write copies.")
                    .into());
            }
        };
        brought.map_err(|error| match (unplaced(file, &error), error.kind()) {
            (Trouble::Failure(failure), _) if self.link == Link::Clone => failure
                .hint(
                    "Clones need source and target on one file system that shares blocks, such as Btrfs or XFS. Omit --link to write copies.",
                )
                .into(),
            (Trouble::Failure(failure), ErrorKind::CrossesDevices) => failure
                .hint("Hard links need source and target on the same file system. Use --link soft, or omit --link to write copies.")
                .into(),
            (trouble, _) => trouble,
        })
    }

    /// Writes a file of these bytes, with what else its source has: when an image was taken is often known by the time of
    /// its file alone.
    fn write_file(
        &self,
        file: &Placed<'_>,
        bytes: &[u8],
        handles: &Handles<'_>,
    ) -> Result<(), Error> {
        let source = self.collection.file(file.record.located());
        let source = source.and_then(|source| source.open().ok());
        let (folder, name) = handles.targets.at(&file.place)?;
        let mut target = folder.create(&name)?;
        match file.edit {
            Edit::AsIs => attributes::write_like(source.as_ref(), &mut target, bytes)?,
            Edit::Png => target.write_all(bytes)?,
        }
        source.map_or(Ok(()), |source| attributes::copy(&source, &target))
    }

    /// Gives the folders of the tree what those have that the files come from, where a folder has the files of one only.
    fn copy_folder_attributes(
        &self,
        files: &[Placed<'_>],
        parents: &BTreeSet<InsidePath>,
        to: &Root,
    ) {
        if !matches!(self.link, Link::Copy | Link::Clone) {
            return;
        }
        let mut sources: HashMap<PathBuf, Option<PathBuf>> = HashMap::new();
        let mut last: Option<(PathBuf, PathBuf)> = None;
        for file in files {
            let Some(source) = self.collection.file(file.record.located()) else { continue };
            let whole = source.whole_path();
            // Files of one folder follow each other.
            let folders = file.place.as_path().parent().zip(whole.parent());
            if last.as_ref().map(|(place, from)| (place.as_path(), from.as_path())) == folders {
                continue;
            }
            last = folders.map(|(place, from)| (place.to_owned(), from.to_owned()));
            // A folder further out has what lies further out in the collection as long as both are called the same.
            let (mut target, mut origin) = (file.place.as_path().parent(), whole.parent());
            while let (Some(place), Some(from)) = (target, origin) {
                if place.as_os_str().is_empty() {
                    break;
                }
                let known =
                    sources.entry(place.to_owned()).or_insert_with(|| Some(from.to_owned()));
                if known.as_deref() != Some(from) {
                    *known = None;
                }
                if place.file_name() != from.file_name() {
                    break;
                }
                (target, origin) = (place.parent(), from.parent());
            }
        }
        // Inner ones first: what is set of an outer one must not be changed again.
        for folder in parents
            .iter()
            .rev()
            .flat_map(|folder| [Some(folder.clone()), folder.parent()])
            .flatten()
        {
            let Some(Some(source)) = sources.remove(folder.as_path()) else { continue };
            let copied = Root::open(&source).and_then(|source| {
                attributes::copy(&source.as_file()?, &to.folder(&folder)?.as_file()?)
            });
            if let Err(error) = copied {
                tracing::debug!(folder = %folder.as_path().display(), %error, "attributes not kept");
            }
        }
    }
}

/// Why a file is not in the tree.
enum Trouble {
    /// The file system has no such names; the others can be stored.
    Name(String),
    /// Nothing can be kept.
    Failure(Failure),
}

impl From<Failure> for Trouble {
    fn from(failure: Failure) -> Self {
        Trouble::Failure(failure)
    }
}

/// What became of a file whose place could not be filled.
fn unplaced(file: &Placed<'_>, error: &Error) -> Trouble {
    match is_about_the_name(error) {
        true => Trouble::Name(io_reason(error)),
        false => Trouble::Failure(unwritten(&file.place, error)),
    }
}

/// Whether a file system refuses a name that others store: one too long, or with letters that it does not know.
fn is_about_the_name(error: &Error) -> bool {
    #[cfg(unix)]
    let is_sequence = error.raw_os_error() == Some(rustix::io::Errno::ILSEQ.raw_os_error());
    #[cfg(not(unix))]
    let is_sequence = false;
    error.kind() == ErrorKind::InvalidFilename || is_sequence
}

fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(|poisoned| poisoned.into_inner())
}

/// Folders that are open, so that a file in one of them is reached by its name alone.
struct Folders<'a> {
    root: &'a Root,
    open: Mutex<HashMap<PathBuf, Arc<Root>>>,
}

/// Folders that are kept open at most; systems allow some hundred files a process.
const MOST_OPEN: usize = 64;

impl<'a> Folders<'a> {
    fn new(root: &'a Root) -> Self {
        Folders { root, open: Mutex::default() }
    }

    /// The folder of a path below the root, and its name in that.
    fn at(&self, path: &InsidePath) -> Result<(Arc<Root>, InsidePath), Error> {
        let name = InsidePath::of_name(path.file_name()).map_err(|_| ErrorKind::InvalidInput)?;
        let parent = path.as_path().parent().unwrap_or(Path::new(""));
        if let Some(folder) = lock(&self.open).get(parent) {
            return Ok((Arc::clone(folder), name));
        }
        let folder = Arc::new(match path.parent() {
            Some(parent) => self.root.folder(&parent)?,
            None => Root::open(self.root.path())?,
        });
        let mut open = lock(&self.open);
        if open.len() >= MOST_OPEN {
            open.clear();
        }
        open.insert(parent.to_owned(), Arc::clone(&folder));
        Ok((folder, name))
    }
}

/// The open folders of the tree, and of the collection.
struct Handles<'a> {
    targets: Folders<'a>,
    /// By root and folder.
    sources: Mutex<HashMap<PathBuf, Arc<Root>>>,
}

impl Handles<'_> {
    /// The folder of a file of the collection and its name in it; none where it may lie behind a symbolic link.
    fn source(&self, file: &SourceFile<'_>) -> Option<(Arc<Root>, InsidePath)> {
        if file.follows_links() {
            return None;
        }
        let name = InsidePath::of_name(file.path().file_name()).ok()?;
        let whole = file.whole_path();
        let folder = whole.parent()?;
        if let Some(known) = lock(&self.sources).get(folder) {
            return Some((Arc::clone(known), name));
        }
        // Directly in the root there is no folder below it to open.
        let opened = Arc::new(file.root().folder(&file.path().parent()?).ok()?);
        let mut open = lock(&self.sources);
        if open.len() >= MOST_OPEN {
            open.clear();
        }
        open.insert(folder.to_owned(), Arc::clone(&opened));
        Some((opened, name))
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

/// A second name for a file of the collection.
fn hard_link(
    source: &SourceFile<'_>,
    file: &Placed<'_>,
    handles: &Handles<'_>,
) -> Result<(), Error> {
    let (folder, name) = handles.targets.at(&file.place)?;
    if let Some((from, own_name)) = handles.source(source) {
        return from.link_into(&own_name, &folder, &name);
    }
    if !source.follows_links() {
        return source.root().link_into(source.path(), &folder, &name);
    }
    // A hard link to a symbolic link would be a symbolic link.
    let whole = source.whole_path().canonicalize()?;
    let from = Root::open(super::parent(&whole))?;
    let own_name = whole.file_name().unwrap_or_default();
    from.link_into(
        &InsidePath::of_name(own_name).map_err(|_| ErrorKind::InvalidInput)?,
        &folder,
        &name,
    )
}

/// The file's own place, from the root of the file system; where links are followed the file itself may be one.
fn resolved(file: &SourceFile<'_>) -> Result<PathBuf, Error> {
    if !file.follows_links() && file.facts()?.kind != FileKind::File {
        return Err(Error::other("it is no longer a regular file"));
    }
    let whole = file.whole_path();
    let folder = whole.parent().unwrap_or(Path::new(".")).canonicalize()?;
    Ok(folder.join(whole.file_name().unwrap_or_default()))
}

/// A copy that shares its space with the source.
#[cfg(target_os = "linux")]
fn clone(source: &SourceFile<'_>, file: &Placed<'_>, handles: &Handles<'_>) -> Result<(), Error> {
    let from = source.open()?;
    let (folder, name) = handles.targets.at(&file.place)?;
    let to = folder.create(&name)?;
    rustix::fs::ioctl_ficlone(&to, &from)?;
    attributes::copy(&from, &to)
}

#[cfg(not(target_os = "linux"))]
fn clone(_: &SourceFile<'_>, _: &Placed<'_>, _: &Handles<'_>) -> Result<(), Error> {
    Err(ErrorKind::Unsupported.into())
}

/// The folder is still under its temporary name: the place in it says more.
fn unwritten(place: &InsidePath, error: &Error) -> Failure {
    let (place, reason) = (place.as_path().display(), io_reason(error));
    Failure::output(format!("cannot write {place}: {reason}; nothing was written"))
}
