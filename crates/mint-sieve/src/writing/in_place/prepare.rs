//! From changes to the steps of a journal, all of them known before the first is made.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::io::Write;
use std::path::Path;

use sieve_core::catalog::Catalog;
use sieve_core::collection::SourceFile;
use sieve_core::files::{FileKind, InsidePath, RelPath, Root, UnsafePath};
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;
use sieve_core::reading::{self, Pixels, ReadLimits};
use sieve_core::record::Record;
use sieve_core::repair::{Changes, Edit, FileOutcome};

use super::journal::{Draft, Journal, Place, Step, find, locked, number};
use crate::failure::Failure;
use crate::writing::attributes;

/// Where dropped files go, below the folder beside the collection.
const DROPPED: &str = "dropped";
/// Where images go that others were made from.
const REPLACED: &str = "replaced";
/// Where files wait that change places with each other.
const WAITING: &str = "waiting";
/// Where folders go that were emptied.
const EMPTIED: &str = "emptied";
/// Where images are made before they take their place.
pub const MADE: &str = "made";

/// How images are written again.
pub struct Made<'a> {
    /// What one file may cost.
    pub limits: ReadLimits,
    /// The bytes of a PNG of some pixels.
    pub png: fn(&Pixels) -> Vec<u8>,
    /// Follows the work.
    pub progress: &'a dyn Progress,
}

/// A file that moves: from, to, and the digest of its bytes.
type FileMove = (InsidePath, InsidePath, Option<Digest>);

/// Writes the journal of `changes` to the folder at `root`, which holds `catalog`. `digests` are of the changed files that
/// are no images. Nothing in the folder is changed yet.
pub fn prepare(
    root: &Path,
    plan: String,
    catalog: &Catalog,
    changes: &Changes,
    digests: &HashMap<RelPath, Digest>,
    made: &Made<'_>,
) -> Result<Journal, Failure> {
    let root = root.canonicalize().map_err(|error| {
        Failure::input(format!("cannot read {}: {}", root.display(), io_reason(&error)))
    })?;
    let (base, name) = super::base_of(&root)?;
    let lock = locked(&base, &name)?;
    refuse_other_file_system(&base, &name)?;
    let (_, folder) = find(&base, &name)?;
    let mut layout = Layout {
        name: &name,
        folder: &folder,
        catalog,
        changes,
        digests,
        moves: Vec::new(),
        images: Vec::new(),
    };
    layout.lay_out()?;
    let touched = layout.touched();
    let times = touched.iter().filter_map(|folder| {
        let facts = base.facts(folder).ok().filter(|facts| facts.kind == FileKind::Folder)?;
        Some((Place::new(folder.clone()), facts.modified_ns))
    });
    let times = times.collect();
    base.create_folder(&folder).map_err(|error| {
        let folder = base.path().join(folder.as_path());
        let reason = io_reason(&error);
        Failure::output(format!("cannot make the folder {}: {reason}", folder.display()))
            .hint("Dropped files are moved to a folder beside the collection. Nothing was changed.")
    })?;
    let base_again = Root::open(base.path()).map_err(|error| unwritten(&base, &folder, &error));
    let begun = base_again
        .and_then(|again| Draft::begin(again, folder.clone(), name.clone(), plan, times, lock));
    let mut draft = match begun {
        Ok(draft) => draft,
        Err(failure) => {
            // Empty, or something else is in it that is not ours.
            let _ = base.remove_folder(&folder);
            return Err(failure);
        }
    };
    match layout.make_images(&mut draft, made) {
        Ok(puts) => {
            let steps = layout.steps(&base, &touched, &puts);
            draft.finish(steps)
        }
        Err(failure) => {
            draft.abandon();
            Err(failure)
        }
    }
}

/// A move is a rename, which knows no other file system.
fn refuse_other_file_system(base: &Root, name: &InsidePath) -> Result<(), Failure> {
    let devices = (base.own_facts(), base.folder(name).and_then(|root| root.own_facts()));
    if let (Ok(outer), Ok(inner)) = devices
        && outer.device != inner.device
    {
        let root = base.path().join(name.as_path());
        let message = format!(
            "{} is a mount point, so there is no place beside it on the same file system",
            root.display()
        );
        return Err(Failure::input(message).hint("Use --to, or name a folder within it."));
    }
    Ok(())
}

/// Where everything goes.
struct Layout<'a> {
    name: &'a InsidePath,
    folder: &'a InsidePath,
    catalog: &'a Catalog,
    changes: &'a Changes,
    digests: &'a HashMap<RelPath, Digest>,
    /// What each change moves.
    moves: Vec<FileMove>,
    /// Images to re-encode: the number of the record, and where the new one goes.
    images: Vec<(usize, InsidePath)>,
}

impl Layout<'_> {
    /// A file of the collection, which must lie in it and be no link.
    fn file(&self, record: &Record) -> Result<SourceFile<'_>, Failure> {
        let file = self.catalog.collection.file(record.located());
        let file =
            file.ok_or_else(|| Failure::call(format!("{} is in an archive", record.path)))?;
        match file.facts().map(|facts| facts.kind) {
            Ok(FileKind::File) => Ok(file),
            Ok(FileKind::Link) => {
                let message =
                    format!("{} is a symbolic link; --in-place moves files only", record.path);
                Err(Failure::input(message)
                    .hint("Nothing was changed. Use --to, which copies the target."))
            }
            _ => {
                let message = format!(
                    "{} is not a file of the collection, or is behind a symbolic link",
                    record.path
                );
                Err(Failure::input(message).hint("Nothing was changed. Use --to."))
            }
        }
    }

    fn below(&self, folder: &InsidePath, path: &InsidePath) -> Result<InsidePath, Failure> {
        folder.join_path(path).map_err(unusable)
    }

    fn aside(&self, kind: &str) -> Result<InsidePath, Failure> {
        self.folder.join(kind).map_err(unusable)
    }

    /// Fills `moves` and `images`.
    fn lay_out(&mut self) -> Result<(), Failure> {
        for change in &self.changes.changed {
            let record = &self.catalog.records[change.record];
            let here = self.file(record)?.path().clone();
            let known = record.image().map(|image| image.digest);
            let digest = known.or_else(|| self.digests.get(&record.path).copied());
            let in_collection = self.below(self.name, &here)?;
            let there = |place: &InsidePath| -> Result<InsidePath, Failure> {
                self.below(self.name, &moved(record, &here, place)?)
            };
            let target = match &change.fate {
                FileOutcome::Drop => self.below(&self.aside(DROPPED)?, &here)?,
                FileOutcome::Put(place, Edit::AsIs) => there(place)?,
                FileOutcome::Put(place, Edit::Png) => {
                    self.images.push((change.record, there(place)?));
                    self.below(&self.aside(REPLACED)?, &here)?
                }
            };
            if target != in_collection {
                self.moves.push((in_collection, target, digest));
            }
        }
        Ok(())
    }

    /// The folders of the collection that files leave or come into, outer ones first.
    fn touched(&self) -> BTreeSet<InsidePath> {
        let moved = self.moves.iter().flat_map(|(from, to, _)| [from, to]);
        let places = moved.chain(self.images.iter().map(|(_, to)| to));
        let mut touched = BTreeSet::new();
        for place in places.filter(|place| place.is_in(self.name)) {
            let mut folder = place.parent();
            while let Some(next) = folder.filter(|folder| folder.is_in(self.name)) {
                folder = next.parent();
                if !touched.insert(next) {
                    break;
                }
            }
        }
        touched
    }

    /// Stores images upright, each as a PNG with what else its file has, and returns where from and to these go.
    fn make_images(&self, draft: &mut Draft, made: &Made<'_>) -> Result<Vec<FileMove>, Failure> {
        let mut puts = Vec::new();
        if self.images.is_empty() {
            return Ok(puts);
        }
        let folder = self.aside(MADE)?;
        let failed =
            |error: std::io::Error, draft: &Draft| unwritten(draft.base(), &folder, &error);
        let make_folder = |draft: &mut Draft| -> std::io::Result<()> {
            draft.base().create_folder(&folder)?;
            let inode = draft.base().facts(&folder)?.inode;
            draft.note_made(Place::new(folder.clone()), inode)
        };
        make_folder(draft).map_err(|error| failed(error, draft))?;
        for (number_of_image, (index, to)) in self.images.iter().enumerate() {
            let record = &self.catalog.records[*index];
            let bytes = self.png(record, made)?;
            let file = folder.join(format!("{number_of_image}.png")).map_err(unusable)?;
            let source = self.file(record)?;
            let write = |draft: &mut Draft| -> std::io::Result<()> {
                let mut target = draft.base().create(&file)?;
                let written = target.write_all(&bytes);
                let copied = source.open().and_then(|source| attributes::copy(&source, &target));
                let facts = draft.base().facts(&file)?;
                draft.note_made(Place::new(file.clone()), number(&facts))?;
                written.and(copied)?;
                target.sync_all()
            };
            write(draft).map_err(|error| failed(error, draft))?;
            puts.push((file, to.clone(), Some(Digest::of_bytes(&bytes))));
        }
        Ok(puts)
    }

    fn png(&self, record: &Record, made: &Made<'_>) -> Result<Vec<u8>, Failure> {
        let located = [record.located()];
        let collection = &self.catalog.collection;
        let pixels = collection.visit(&located, &made.limits, made.progress, |_, bytes| {
            let bytes = bytes.ok()?.bytes;
            reading::decode(&bytes, &made.limits).ok().map(|image| (made.png)(&image.pixels))
        })?;
        let pixels = pixels.into_iter().next().flatten();
        pixels.ok_or_else(|| {
            Failure::input(format!("{} can no longer be read", record.path))
                .hint("The collection was not changed.")
        })
    }

    /// Folders first, then everything that goes, then everything that comes, then folders that were emptied.
    fn steps(&self, base: &Root, touched: &BTreeSet<InsidePath>, puts: &[FileMove]) -> Vec<Step> {
        let leaving: HashSet<&InsidePath> = self.moves.iter().map(|(from, ..)| from).collect();
        let kind = |path: &InsidePath| base.facts(path).ok().map(|facts| facts.kind);
        let is_there = |folder: &&InsidePath| kind(folder) == Some(FileKind::Folder);
        let (old, mut new): (Vec<&InsidePath>, Vec<&InsidePath>) =
            touched.iter().partition(is_there);
        // Of what is set aside; the folder itself is there.
        let mut aside: BTreeSet<InsidePath> = BTreeSet::new();
        let mut add_aside = |path: &InsidePath| {
            let mut folder = path.parent();
            while let Some(next) =
                folder.filter(|next| next.is_in(self.folder) && next != self.folder)
            {
                folder = next.parent();
                aside.insert(next);
            }
        };
        self.moves.iter().for_each(|(_, to, _)| add_aside(to));
        let place = |path: &InsidePath| Place::new(path.clone());
        let step = |file: &InsidePath,
                    from: &InsidePath,
                    to: &InsidePath,
                    digest: Option<Digest>| Step::Move {
            from: place(from),
            to: place(to),
            number: base.facts(file).map_or(0, |facts| number(&facts)),
            digest: digest.map(|digest| digest.to_string()),
        };
        let (mut steps, mut later): (Vec<Step>, Vec<Step>) = Default::default();
        for (at, (from, to, digest)) in self.moves.iter().enumerate() {
            let waiting =
                self.folder.join(WAITING).and_then(|waiting| waiting.join(at.to_string()));
            match waiting {
                // A place that another file leaves is free once all have left.
                Ok(waiting) if leaving.contains(to) => {
                    add_aside(&waiting);
                    steps.push(step(from, from, &waiting, *digest));
                    later.push(step(from, &waiting, to, *digest));
                }
                _ => steps.push(step(from, from, to, *digest)),
            }
        }
        steps.append(&mut later);
        steps.extend(puts.iter().map(|(from, to, digest)| step(from, from, to, *digest)));
        let emptied = old.iter().rev().filter(|folder| **folder != self.name).enumerate();
        for (at, folder) in emptied {
            let Ok(to) = self.folder.join(EMPTIED).and_then(|emptied| emptied.join(at.to_string()))
            else {
                continue;
            };
            add_aside(&to);
            let inode = base.facts(folder).map_or(0, |facts| facts.inode);
            steps.push(Step::MoveFolder { from: place(folder), to: place(&to), inode });
        }
        new.extend(&aside);
        new.sort();
        new.into_iter().map(|folder| Step::MakeFolder(place(folder))).chain(steps).collect()
    }
}

/// The place of a file below the root of its folder: `place` is as the collection sees it, which may call the root by
/// the name of a split.
fn moved(record: &Record, here: &InsidePath, place: &InsidePath) -> Result<InsidePath, Failure> {
    let seen = record.path.native().components().count();
    let more = seen.saturating_sub(here.names().count());
    InsidePath::of_names(place.names().skip(more)).map_err(unusable)
}

fn unusable(why: UnsafePath) -> Failure {
    Failure::input(format!("a file cannot be moved: {why}")).hint("The collection was not changed.")
}

fn unwritten(base: &Root, path: &InsidePath, error: &std::io::Error) -> Failure {
    let path = base.path().join(path.as_path());
    Failure::output(format!("cannot write {}: {}", path.display(), io_reason(error)))
        .hint("The collection was not changed.")
}
