//! Steps of a journal, made. It is looked first which were made already, so that a run that was killed anywhere can be
//! continued.

use std::collections::HashSet;
use std::io;

use sieve_core::files::{FileKind, Root};
use sieve_core::progress::Progress;

use super::journal::{Journal, Place, State, Step, forget};
use super::steps::{
    facts_at, failed, in_the_way, interrupted, known, numbers, own_facts_at, rename,
};
use super::undo::undo_before;
use crate::failure::Failure;

/// Makes every step that was not made yet. A step that fails undoes all others.
pub fn carry_out(journal: &mut Journal, progress: &dyn Progress) -> Result<(), Failure> {
    progress.begin("moving files", Some(journal.steps.len() as u64));
    let numbers = numbers(&journal.steps);
    for (at, known) in known(journal).into_iter().enumerate() {
        if progress.stopped() {
            return Err(interrupted(journal, "apply"));
        }
        if let Err(reason) = make(&journal.base, &journal.steps[at], known, &numbers) {
            return Err(rolled_back(journal, at, &reason, progress));
        }
        progress.advance(1);
    }
    let shown = journal.shown();
    let shown = shown.display();
    journal.reach(
        State::Done,
        &format!(
            "All changes were made, but the journal is unfinished. Run the same apply again to finish it, or undo everything: mint-sieve undo {shown}"
        ),
    )
}

/// The failure of a step, after those before it were undone.
fn rolled_back(journal: &mut Journal, at: usize, reason: &str, progress: &dyn Progress) -> Failure {
    let shown = journal.shown();
    let again = format!("mint-sieve undo {}", shown.display());
    match undo_before(journal, at, &StopsNever(progress)) {
        Ok(restored) if restored.is_whole() => {
            // Nothing is left to tell, unless something else lies in the folder.
            let _ = forget(journal);
            Failure::output(format!("{reason}; every step before it was undone"))
                .hint("Every file is back in place.")
        }
        Ok(restored) => {
            let failure =
                Failure::output(format!("{reason}; not every step before it could be undone"));
            failure.details(restored.lines(usize::MAX)).hint(format!("To try again: {again}"))
        }
        Err(other) => Failure::output(format!("{reason}; and then, undoing it, {}", other.message))
            .hint(format!("Fix that, then run: {again}")),
    }
}

/// Progress that is not asked to stop: half of it is no state to leave a collection in.
struct StopsNever<'a>(&'a dyn Progress);

impl Progress for StopsNever<'_> {
    fn begin(&self, what: &'static str, total: Option<u64>) {
        self.0.begin(what, total);
    }

    fn advance(&self, steps: u64) {
        self.0.advance(steps);
    }

    fn stopped(&self) -> bool {
        false
    }
}

/// Makes a step, unless it is known to be made.
fn make(
    base: &Root,
    step: &Step,
    known: Option<bool>,
    numbers: &HashSet<u64>,
) -> Result<(), String> {
    match step {
        Step::Move { .. } if known == Some(true) => Ok(()),
        Step::MakeFolder(place) => match base.create_folder(place.path()) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                match facts_at(base, place)? {
                    Some(facts) if facts.kind == FileKind::Folder => Ok(()),
                    _ => Err(failed("make the folder", place, &error)),
                }
            }
            made => made.map_err(|error| failed("make the folder", place, &error)),
        },
        Step::Move { from, to, number, .. } => {
            let own = |place: &Place| own_facts_at(base, place, *number, numbers);
            match (own(from)?, own(to)?) {
                // Whatever else is at the new place is not replaced.
                (Some(facts), None) => rename(base, from, &facts, to),
                (None, Some(_)) => Ok(()),
                (Some(_), Some(_)) => Err(in_the_way(from, to)),
                (None, None) => Err(format!("neither {} nor {} exists", from.shown(), to.shown())),
            }
        }
        Step::MoveFolder { from, to, .. } => {
            let is_empty = base.folder(from.path()).and_then(|folder| folder.is_empty());
            // It went already, or something else is in it, which nobody asked to move.
            if !is_empty.unwrap_or(false) {
                return Ok(());
            }
            let moved = base.rename_new(from.path(), to.path());
            moved.map_err(|error| failed("set aside the empty folder", from, &error))?;
            // Something may have come into it in the last moment.
            match base.folder(to.path()).and_then(|folder| folder.is_empty()) {
                Ok(true) => Ok(()),
                _ => {
                    let back = base.rename_new(to.path(), from.path());
                    back.map_err(|error| failed("put back the folder", from, &error))
                }
            }
        }
    }
}
