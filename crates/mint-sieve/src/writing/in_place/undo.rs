//! Steps of a journal, undone, and what came of it: every file is compared before anything is said of it.

use std::collections::HashSet;
use std::io;
use std::time::{Duration, SystemTime};

use rayon::prelude::*;
use sieve_core::files::{FileKind, InsidePath, Root};
use sieve_core::io_reason;
use sieve_core::measuring::Digest;
use sieve_core::progress::Progress;

use super::journal::{Journal, Place, State, Step, number, remove_made};
use super::prepare::MADE;
use super::steps::{
    facts_at, failed, in_the_way, interrupted, known, numbers, own_facts_at, rename, ways,
};
use crate::failure::Failure;

/// Where made images go that somebody has edited since.
const EDITED: &str = "edited";

/// What undoing has left otherwise than it was.
#[derive(Debug, Default)]
pub struct Restored {
    /// Files that were moved, and are compared.
    pub compared: u64,
    /// Files that are neither where they belong nor where they were moved to.
    pub missing: Vec<Place>,
    /// Files that are still where they were moved to: the place where they belong, that one, and why.
    pub stuck: Vec<(Place, Place, String)>,
    /// Files in their places with another content than when the plan was applied.
    pub changed: Vec<Place>,
    /// Files in their places that could not be read and compared, with the reason.
    pub uncompared: Vec<(Place, String)>,
    /// Images that the plan made and that were edited since: where they were, and where they are kept.
    pub kept: Vec<(Place, Place)>,
    /// What folders have otherwise than before.
    pub folders: Vec<String>,
}

impl Restored {
    /// Whether every file is where it was, with the content that it had.
    pub fn is_whole(&self) -> bool {
        self.missing.is_empty()
            && self.stuck.is_empty()
            && self.changed.is_empty()
            && self.uncompared.is_empty()
            && self.kept.is_empty()
            && self.folders.is_empty()
    }

    /// A line for each difference, at most `most` of each kind.
    pub fn lines(&self, most: usize) -> Vec<String> {
        let mut lines = Vec::new();
        let mut put = |of_kind: Vec<String>| {
            let count = of_kind.len();
            // A line for one or two more would take as much room as they do.
            let most = if count < most.saturating_add(3) { count } else { most };
            lines.extend(of_kind.into_iter().take(most));
            if count > most {
                lines.push(format!("... {} more (--all)", count - most));
            }
        };
        put(self.missing.iter().map(|place| format!("missing: {}", place.shown())).collect());
        let stuck = self.stuck.iter().map(|(place, now, why)| {
            format!("not moved back: {} is still at {}: {why}", place.shown(), now.shown())
        });
        put(stuck.collect());
        let changed = self.changed.iter();
        put(changed.map(|place| format!("changed since: {}", place.shown())).collect());
        let uncompared = self.uncompared.iter();
        put(uncompared
            .map(|(place, why)| format!("not verified: {}: {why}", place.shown()))
            .collect());
        let kept = self.kept.iter().map(|(place, now)| {
            format!("edited since; the edited file {} is kept as {}", place.shown(), now.shown())
        });
        put(kept.collect());
        put(self.folders.clone());
        lines
    }
}

/// Undoes every step that was made, the last first, and gives folders their times.
pub fn take_back(journal: &mut Journal, progress: &dyn Progress) -> Result<Restored, Failure> {
    undo_before(journal, journal.steps.len(), progress)
}

/// The same for the steps before this one; no other was made.
pub(super) fn undo_before(
    journal: &mut Journal,
    end: usize,
    progress: &dyn Progress,
) -> Result<Restored, Failure> {
    progress.begin("moving files back", Some(end as u64));
    let mut known = known(journal);
    if journal.state == Some(State::Done) {
        known.iter_mut().for_each(|known| *known = known.or(Some(true)));
    }
    let is_retry = journal.state == Some(State::Undoing);
    if !is_retry {
        journal.reach(State::Undoing, "Nothing was undone.")?;
    }
    let numbers = numbers(&journal.steps);
    let mut restored = Restored::default();
    let mut reasons: Vec<Option<String>> = vec![None; journal.steps.len()];
    for (at, known) in known.into_iter().enumerate().take(end).rev() {
        if progress.stopped() {
            return Err(interrupted(journal, "undo"));
        }
        // One that cannot be undone keeps none of the others where it is.
        let undone = unmake(journal, &journal.steps[at], known, &numbers, &mut restored);
        reasons[at] = undone.err();
        progress.advance(1);
    }
    // Folders last: what is moved in or out changes their times. Inner ones before outer ones makes no difference.
    for (folder, modified_ns) in &journal.times {
        if let Err(error) = set_time(&journal.base, folder, *modified_ns) {
            restored.folders.push(format!(
                "the time of the folder {} was not restored: {}",
                folder.shown(),
                io_reason(&error)
            ));
        }
    }
    compare(journal, &reasons, &mut restored, progress);
    for (step, why) in journal.steps.iter().zip(reasons) {
        match (step, why) {
            // What was made is nothing to compare, but it does not belong where it is, either.
            (Step::Move { from, to, .. }, Some(why)) if is_made(journal, from) => {
                restored.stuck.push((from.clone(), to.clone(), why));
            }
            (Step::MakeFolder(_) | Step::MoveFolder { .. }, Some(why)) => {
                restored.folders.push(why);
            }
            _ => {}
        }
    }
    // What failed once for a folder may succeed the next time; what fails again is final, so that nothing waits for it.
    if restored.stuck.is_empty() && (restored.folders.is_empty() || is_retry) {
        let hint = format!(
            "Every file was moved back, but the journal is unfinished. To finish it: mint-sieve undo {}",
            journal.shown().display()
        );
        journal.reach(State::Undone, &hint)?;
        // What was made from images can be made again.
        if let Err(error) = remove_made(journal) {
            tracing::debug!(%error, "what was made is not removed");
        }
    }
    Ok(restored)
}

/// Looks whether every file that was moved is where it belongs and is what it was.
fn compare(
    journal: &Journal,
    reasons: &[Option<String>],
    restored: &mut Restored,
    progress: &dyn Progress,
) {
    enum Is {
        There,
        Missing,
        Stuck(Place, String),
        Changed,
        Uncompared(String),
    }
    let ways = ways(&journal.steps);
    let moved: Vec<_> =
        ways.iter().filter(|way| way.places[0].path().is_in(&journal.root)).collect();
    progress.begin("comparing files", Some(moved.len() as u64));
    let base = &journal.base;
    let found: Vec<Is> = moved
        .par_iter()
        .map(|way| {
            progress.advance(1);
            let is_it = |place: &Place| {
                let facts =
                    base.facts(place.path()).ok().filter(|facts| facts.kind == FileKind::File);
                facts.is_some_and(|facts| way.number == 0 || number(&facts) == way.number)
            };
            let why = || way.steps.iter().rev().find_map(|&step| reasons[step].clone());
            if let Some(why) = why() {
                let there = |place: &&&Place| base.facts(place.path()).is_ok();
                let elsewhere = way.places[1..].iter().rev();
                let exact = elsewhere.clone().find(|place| is_it(place));
                if let Some(now) = exact.or_else(|| elsewhere.clone().find(there)) {
                    return Is::Stuck((*now).clone(), why);
                }
            }
            let place = way.places[0];
            match base.facts(place.path()) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => return Is::Missing,
                Err(error) => return Is::Uncompared(io_reason(&error)),
                Ok(_) => {}
            }
            match digest_at(base, place) {
                Err(error) if way.digest.is_some() => Is::Uncompared(io_reason(&error)),
                // It could not be read when the plan was applied, either.
                Err(_) if is_it(place) => Is::There,
                Err(error) => Is::Uncompared(io_reason(&error)),
                Ok(now) => match way.digest {
                    Some(then) if then == now => Is::There,
                    None if is_it(place) => Is::There,
                    _ => Is::Changed,
                },
            }
        })
        .collect();
    restored.compared = found.len() as u64;
    for (way, is) in moved.iter().zip(found) {
        let place = way.places[0].clone();
        match is {
            Is::There => {}
            Is::Missing => restored.missing.push(place),
            Is::Stuck(now, why) => restored.stuck.push((place, now, why)),
            Is::Changed => restored.changed.push(place),
            Is::Uncompared(why) => restored.uncompared.push((place, why)),
        }
    }
}

/// The digest of a file's bytes, as hexadecimal digits.
fn digest_at(base: &Root, place: &Place) -> io::Result<String> {
    let file = base.read(place.path())?;
    Ok(Digest::of_reader(file)?.to_string())
}

/// Undoes a step, unless it is known not to be made.
fn unmake(
    journal: &Journal,
    step: &Step,
    known: Option<bool>,
    numbers: &HashSet<u64>,
    restored: &mut Restored,
) -> Result<(), String> {
    let base = &journal.base;
    match step {
        Step::Move { .. } if known == Some(false) => Ok(()),
        Step::Move { from, to, digest, .. } if is_made(journal, from) => {
            let Some(facts) = facts_at(base, to)? else { return Ok(()) };
            // One that cannot be read stays, and is not said to be edited.
            let is_untouched = facts.kind == FileKind::File && {
                let now = digest_at(base, to).map_err(|error| failed("read", to, &error))?;
                Some(now) == *digest
            };
            match facts_at(base, from)? {
                None if is_untouched => {
                    // Somebody may have tidied the empty folder away.
                    if let Some(made) = from.path().parent() {
                        let created = base.create_folders(&made);
                        created.map_err(|error| {
                            failed("make the folder", &Place::new(made), &error)
                        })?;
                    }
                    rename(base, to, &facts, from)
                }
                _ => {
                    let kept = keep_aside(journal, to)?;
                    restored.kept.push((to.clone(), kept));
                    Ok(())
                }
            }
        }
        Step::MakeFolder(place) => match base.remove_folder(place.path()) {
            // It was never made, or what is in it now is not ours.
            Err(error) if is_nothing_to_remove(&error) => Ok(()),
            removed => removed.map_err(|error| failed("remove the folder", place, &error)),
        },
        Step::Move { from, to, number, .. } => {
            let own = |place: &Place| own_facts_at(base, place, *number, numbers);
            match (own(from)?, own(to)?) {
                // Whatever else is at the old place is not replaced.
                (None, Some(facts)) => rename(base, to, &facts, from),
                (Some(_), Some(_)) => Err(in_the_way(to, from)),
                // Back already, or gone: that is found when files are compared.
                (_, None) => Ok(()),
            }
        }
        Step::MoveFolder { from, to, inode } => {
            match (facts_at(base, from)?, facts_at(base, to)?) {
                (None, Some(facts)) if facts.kind == FileKind::Folder => {
                    let moved = base.rename_new(to.path(), from.path());
                    moved.map_err(|error| failed("put back the folder", from, &error))
                }
                (Some(now), Some(_)) if now.inode != *inode => {
                    restored.folders.push(format!(
                        "the folder {} was created again; the one in its place is now {}",
                        from.shown(),
                        to.shown()
                    ));
                    Ok(())
                }
                _ => Ok(()),
            }
        }
    }
}

/// Whether a place is among those where images are made.
fn is_made(journal: &Journal, place: &Place) -> bool {
    journal.folder.join(MADE).is_ok_and(|made| place.path().is_in(&made))
}

/// Moves what is at a place of the collection to the same place among what was edited.
fn keep_aside(journal: &Journal, place: &Place) -> Result<Place, String> {
    let base = &journal.base;
    let below: Vec<_> = place.path().names().skip(journal.root.names().count()).collect();
    let wrong = |why: String| format!("cannot keep {} aside: {why}", place.shown());
    let inner = InsidePath::of_names(below).map_err(|why| wrong(why.to_string()))?;
    let edited = journal.folder.join(EDITED).and_then(|edited| edited.join_path(&inner));
    let mut edited = edited.map_err(|why| wrong(why.to_string()))?;
    if let Some(parent) = edited.parent() {
        base.create_folders(&parent).map_err(|error| wrong(io_reason(&error)))?;
    }
    let first = edited.clone();
    for number in 2..1000 {
        match base.rename_new(place.path(), &edited) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                edited = first.numbered(number);
            }
            moved => {
                return moved
                    .map(|()| Place::new(edited))
                    .map_err(|error| wrong(io_reason(&error)));
            }
        }
    }
    Err(wrong("too many files have its name".to_owned()))
}

fn is_nothing_to_remove(error: &io::Error) -> bool {
    [io::ErrorKind::NotFound, io::ErrorKind::DirectoryNotEmpty, io::ErrorKind::NotADirectory]
        .contains(&error.kind())
}

fn set_time(base: &Root, folder: &Place, modified_ns: i64) -> io::Result<()> {
    let after = Duration::from_nanos(modified_ns.unsigned_abs());
    let time = match modified_ns < 0 {
        true => SystemTime::UNIX_EPOCH.checked_sub(after),
        false => SystemTime::UNIX_EPOCH.checked_add(after),
    };
    let time = time.ok_or(io::ErrorKind::InvalidInput)?;
    base.folder(folder.path())?.as_file()?.set_modified(time)
}
