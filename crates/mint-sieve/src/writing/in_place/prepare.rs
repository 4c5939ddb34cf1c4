//! From changes to the steps of a journal, all of them known before the first is made.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::fs;
use std::path::{Path, PathBuf};

use sieve_core::catalog::Catalog;
use sieve_core::io_reason;
use sieve_core::progress::Progress;
use sieve_core::reading::{self, Pixels, ReadLimits};
use sieve_core::record::Record;
use sieve_core::repair::{Changes, Edit, Fate};

use super::journal::{Journal, Place, Step, find, locked, number};
use crate::failure::Failure;

/// Where dropped files go, below the folder beside the collection.
const DROPPED: &str = "dropped";
/// Where images go that others were made from.
const REPLACED: &str = "replaced";
/// Where files wait that change places with each other.
const WAITING: &str = "waiting";
/// Where images are made before they take their place.
pub const MADE: &str = "made";

/// How images are stored anew.
pub struct Made<'a> {
    /// What one file may cost.
    pub limits: ReadLimits,
    /// The bytes of a PNG of some pixels.
    pub png: fn(&Pixels) -> Vec<u8>,
    /// Follows the work.
    pub progress: &'a dyn Progress,
}

/// Writes the journal of `changes` to the folder at `root`, which holds `catalog`. Nothing in it is changed yet.
pub fn prepare(
    root: &Path,
    plan: String,
    catalog: &Catalog,
    changes: &Changes,
    made: &Made<'_>,
) -> Result<Journal, Failure> {
    let root = root.canonicalize().map_err(|error| {
        Failure::input(format!("cannot read {}: {}", root.display(), io_reason(&error)))
    })?;
    let base = super::super::parent(&root).to_owned();
    let lock = locked(&root)?;
    refuse_other_file_system(&root, &base)?;
    let (_, folder) = find(&base, &root);
    let name = PathBuf::from(root.file_name().unwrap_or_default());
    let mut draft =
        Draft { base: &base, root: &root, name: &name, folder: &folder, catalog, changes, made };
    let whole = base.join(&folder);
    fs::create_dir(&whole).map_err(|error| {
        let reason = io_reason(&error);
        Failure::output(format!("cannot make the folder {}: {reason}", whole.display()))
            .hint("Dropped files are kept beside the collection. Nothing was changed.")
    })?;
    let steps = draft.steps();
    let journal = steps
        .and_then(|(steps, times)| Journal::write(&base, &folder, &name, plan, steps, times, lock));
    if journal.is_err() {
        // Nothing of the collection is in it.
        let _ = fs::remove_dir_all(&whole);
    }
    journal
}

/// A move is a rename, which knows no other file system.
#[cfg(unix)]
fn refuse_other_file_system(root: &Path, base: &Path) -> Result<(), Failure> {
    use std::os::unix::fs::MetadataExt;
    let device = |path: &Path| fs::metadata(path).map(|facts| facts.dev()).ok();
    if device(root) == device(base) {
        return Ok(());
    }
    let message =
        format!("{} is a file system of its own: nothing can be kept beside it", root.display());
    Err(Failure::input(message).hint("Use --to, or name a folder within it."))
}

#[cfg(not(unix))]
fn refuse_other_file_system(_: &Path, _: &Path) -> Result<(), Failure> {
    Ok(())
}

struct Draft<'a> {
    base: &'a Path,
    root: &'a Path,
    name: &'a Path,
    folder: &'a Path,
    catalog: &'a Catalog,
    changes: &'a Changes,
    made: &'a Made<'a>,
}

type Times = Vec<(Place, i64)>;

impl Draft<'_> {
    /// Where a file of the collection lies, below its root.
    fn inside(&self, record: &Record) -> Result<PathBuf, Failure> {
        let file = self.catalog.collection.file(record.located());
        let file =
            file.ok_or_else(|| Failure::call(format!("{} is in an archive", record.path)))?;
        let folder = super::super::parent(&file).canonicalize();
        let folder = folder.map_err(|error| {
            Failure::input(format!("cannot read {}: {}", record.path, io_reason(&error)))
        })?;
        let whole = folder.join(file.file_name().unwrap_or_default());
        let below = whole.strip_prefix(self.root).map(Path::to_owned);
        below.map_err(|_| {
            Failure::input(format!("{} lies outside of the collection, behind a link", record.path))
                .hint("Use --to, which changes nothing there.")
        })
    }

    fn steps(&mut self) -> Result<(Vec<Step>, Times), Failure> {
        // What each change moves, and where to.
        let mut moves: Vec<(PathBuf, PathBuf)> = Vec::new();
        let mut puts: Vec<(PathBuf, PathBuf)> = Vec::new();
        for (number, change) in self.changes.changed.iter().enumerate() {
            let record = &self.catalog.records[change.record];
            let here = self.inside(record)?;
            let in_collection = self.name.join(&here);
            match &change.fate {
                Fate::Drop => moves.push((in_collection, self.folder.join(DROPPED).join(&here))),
                Fate::Put(place, Edit::AsIs) => {
                    let there = self.name.join(self.moved(record, &here, place));
                    if there != in_collection {
                        moves.push((in_collection, there));
                    }
                }
                Fate::Put(place, Edit::Png) => {
                    let there = self.name.join(self.moved(record, &here, place));
                    moves.push((in_collection, self.folder.join(REPLACED).join(&here)));
                    let file = self.folder.join(MADE).join(format!("{number}.png"));
                    self.make(record, change.record, &file)?;
                    puts.push((file, there));
                }
            }
        }
        self.folders_aside(&moves)?;
        Ok(self.ordered(moves, puts))
    }

    /// The place of a file below the root of its folder: `place` is as the collection sees it, which may call the root by
    /// the name of a split.
    fn moved(&self, record: &Record, here: &Path, place: &Path) -> PathBuf {
        let seen = record.path.native();
        let more = seen.components().count().saturating_sub(here.components().count());
        place.components().skip(more).collect()
    }

    /// Stores an image upright, as a PNG, and with the time of its file.
    fn make(&self, record: &Record, index: usize, file: &Path) -> Result<(), Failure> {
        let whole = self.base.join(file);
        let unwritten = |error: std::io::Error| {
            Failure::output(format!("cannot write {}: {}", whole.display(), io_reason(&error)))
                .hint("The collection was not changed.")
        };
        fs::create_dir_all(super::super::parent(&whole)).map_err(unwritten)?;
        let located = [self.catalog.records[index].located()];
        let pixels = self.catalog.collection.visit(
            &located,
            &self.made.limits,
            self.made.progress,
            |_, bytes| {
                let bytes = bytes.ok()?.bytes;
                reading::decode(&bytes, &self.made.limits).ok().map(|image| image.pixels)
            },
        )?;
        let Some(Some(pixels)) = pixels.into_iter().next() else {
            return Err(Failure::input(format!("{} cannot be read any more", record.path)));
        };
        fs::write(&whole, (self.made.png)(&pixels)).map_err(unwritten)?;
        if let Some(source) = self.catalog.collection.file(record.located()) {
            super::super::tree::keep_time(&source, &whole);
        }
        Ok(())
    }

    /// Folders of what is set aside: they are no part of the collection, and made at once.
    fn folders_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), Failure> {
        let aside = moves.iter().map(|(_, to)| to).filter(|to| to.starts_with(self.folder));
        let folders: HashSet<&Path> = aside.filter_map(|to| to.parent()).collect();
        for folder in folders.into_iter().map(|folder| self.base.join(folder)) {
            fs::create_dir_all(&folder).map_err(|error| {
                Failure::output(format!(
                    "cannot make the folder {}: {}",
                    folder.display(),
                    io_reason(&error)
                ))
                .hint("The collection was not changed.")
            })?;
        }
        Ok(())
    }

    /// Folders first, then everything that goes, then everything that comes, then folders that were emptied.
    fn ordered(
        &self,
        moves: Vec<(PathBuf, PathBuf)>,
        puts: Vec<(PathBuf, PathBuf)>,
    ) -> (Vec<Step>, Times) {
        let leaving: HashSet<PathBuf> = moves.iter().map(|(from, _)| from.clone()).collect();
        let mut steps: Vec<Step> = Vec::new();
        let mut touched: BTreeSet<PathBuf> = BTreeSet::new();
        let all = moves.iter().chain(&puts);
        for place in all.flat_map(|(from, to)| [from, to]) {
            let folders =
                place.ancestors().skip(1).take_while(|folder| folder.starts_with(self.name));
            touched.extend(folders.map(Path::to_owned));
        }
        // Sorted, so that outer folders come before inner ones.
        let is_there = |folder: &Path| self.base.join(folder).is_dir();
        let (old, new): (Vec<&PathBuf>, Vec<&PathBuf>) =
            touched.iter().partition(|folder| is_there(folder));
        steps.extend(new.into_iter().map(|folder| Step::MakeFolder(Place::new(folder))));
        let step = |file: &Path, from: &Path, to: &Path| {
            Step::Move(Place::new(from), Place::new(to), number(&self.base.join(file)))
        };
        let (mut later, mut waiting): (Vec<Step>, HashMap<usize, PathBuf>) = Default::default();
        for (at, (from, to)) in moves.iter().enumerate() {
            // A place that another file leaves is free once all have left.
            if leaving.contains(to) {
                let wait = self.folder.join(WAITING).join(at.to_string());
                steps.push(step(from, from, &wait));
                later.push(step(from, &wait, to));
                waiting.insert(at, wait);
            } else {
                steps.push(step(from, from, to));
            }
        }
        if !waiting.is_empty() {
            steps.insert(0, Step::MakeFolder(Place::new(&self.folder.join(WAITING))));
        }
        steps.extend(later);
        steps.extend(puts.iter().map(|(from, to)| step(from, from, to)));
        let emptied = old.iter().rev().filter(|folder| folder.as_path() != self.name);
        steps.extend(emptied.map(|folder| {
            let (mode, modified_ns) = facts(&self.base.join(folder));
            Step::RemoveFolder(Place::new(folder), mode, modified_ns)
        }));
        let times = old
            .iter()
            .map(|folder| (Place::new(folder), facts(&self.base.join(folder)).1))
            .collect();
        (steps, times)
    }
}

/// The mode of a folder, and its time in nanoseconds since 1970.
fn facts(folder: &Path) -> (u32, i64) {
    let Ok(facts) = fs::metadata(folder) else { return (0o755, 0) };
    #[cfg(unix)]
    let mode = std::os::unix::fs::PermissionsExt::mode(&facts.permissions());
    #[cfg(not(unix))]
    let mode = 0o755;
    let modified =
        facts.modified().ok().and_then(|time| time.duration_since(std::time::UNIX_EPOCH).ok());
    (mode, modified.map_or(0, |time| time.as_nanos() as i64))
}
