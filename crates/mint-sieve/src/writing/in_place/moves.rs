//! Steps of a journal, made and taken back. It is looked first which were made already, so that a run that was killed
//! anywhere can be gone on with.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::Path;
use std::time::{Duration, SystemTime};

use sieve_core::io_reason;
use sieve_core::progress::Progress;

use super::journal::{Journal, Place, State, Step, number};
use crate::failure::{Exit, Failure};

/// Makes every step that was not made yet. A step that fails takes all others back.
pub fn carry_out(journal: &mut Journal, progress: &dyn Progress) -> Result<(), Failure> {
    progress.begin("moving files", Some(journal.steps.len() as u64));
    let known = known(journal);
    for (at, known) in known.into_iter().enumerate() {
        if progress.stopped() {
            return Err(interrupted(journal, "apply"));
        }
        if let Err(reason) = make(&journal.base, &journal.steps[at], known) {
            return Err(match take_back_before(journal, at, &StopsNever(progress)) {
                Ok(()) => {
                    journal.forget();
                    Failure::output(format!("{reason}; every step before it was taken back"))
                        .hint("The collection is as it was.")
                }
                Err(other) => Failure::output(format!(
                    "{reason}; and then, taking it back, {}",
                    other.message
                ))
                .hint(format!("Mend that, then: mint-sieve undo {}", journal.shown().display())),
            });
        }
        progress.advance(1);
    }
    journal.reach(State::Done)
}

/// Takes every step back that was made, the last first, and gives folders their times.
pub fn take_back(journal: &mut Journal, progress: &dyn Progress) -> Result<(), Failure> {
    take_back_before(journal, journal.steps.len(), progress)
}

/// The same for the steps before this one; no other was made.
fn take_back_before(
    journal: &mut Journal,
    end: usize,
    progress: &dyn Progress,
) -> Result<(), Failure> {
    progress.begin("moving files back", Some(end as u64));
    let mut known = known(journal);
    if journal.state == Some(State::Done) {
        known.iter_mut().for_each(|known| *known = known.or(Some(true)));
    }
    journal.reach(State::Undoing)?;
    for (at, known) in known.into_iter().enumerate().take(end).rev() {
        if progress.stopped() {
            return Err(interrupted(journal, "undo"));
        }
        unmake(&journal.base, &journal.steps[at], known).map_err(|reason| {
            Failure::output(reason).hint(format!(
                "What was moved back stays so. Mend it, then go on: mint-sieve undo {}",
                journal.shown().display()
            ))
        })?;
        progress.advance(1);
    }
    // Folders last: what is moved in or out changes their times. Inner ones before outer ones makes no difference.
    for (folder, modified_ns) in &journal.times {
        set_time(&journal.base.join(folder.path()), *modified_ns);
    }
    journal.reach(State::Undone)?;
    // What was made from images can be made again.
    let aside = journal.base.join(&journal.folder);
    let _ = fs::remove_dir_all(aside.join(super::prepare::MADE));
    remove_empty(&aside);
    Ok(())
}

/// Removes what a run has left that was killed before its journal was ready: nothing of the collection is in it.
pub fn sweep(folder: &Path) {
    let _ = fs::remove_dir_all(folder.join(super::prepare::MADE));
    let _ = fs::remove_file(folder.join(super::journal::FILE));
    remove_empty(folder);
    let _ = fs::remove_dir(folder);
}

/// Removes the folders in a folder that hold nothing.
fn remove_empty(folder: &Path) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        if entry.file_type().is_ok_and(|kind| kind.is_dir()) {
            remove_empty(&entry.path());
            // One that holds something stays.
            let _ = fs::remove_dir(entry.path());
        }
    }
}

fn interrupted(journal: &Journal, command: &str) -> Failure {
    let shown = journal.shown();
    let shown = shown.display();
    let hint = match command {
        "apply" => {
            format!("Run the same apply again to go on, or take it back: mint-sieve undo {shown}")
        }
        _ => format!("Go on: mint-sieve undo {shown}"),
    };
    Failure { exit: Exit::Interrupted, ..Failure::output("interrupted") }.hint(hint)
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

fn is_there(path: &Path) -> bool {
    path.symlink_metadata().is_ok()
}

/// What went wrong with a step, as a sentence without its full stop.
fn failed(what: &str, path: &Path, error: &io::Error) -> String {
    format!("cannot {what} {}: {}", path.display(), io_reason(error))
}

/// The way that one file goes, in several steps where it has to wait.
struct Way<'a> {
    number: u64,
    /// Where it is before the first step, and after each.
    places: Vec<&'a Place>,
    steps: Vec<usize>,
}

/// For each step whether it was made, where that can be told: a file is looked for by its number in all places on its way.
/// Whether there is a file in a place does not tell it, since another one may stand there before or after. Of a file that
/// was written anew meanwhile, or whose collection was copied elsewhere, nothing is known.
fn known(journal: &Journal) -> Vec<Option<bool>> {
    let mut ways: Vec<Way<'_>> = Vec::new();
    let mut ends: HashMap<&Place, usize> = HashMap::new();
    for (at, step) in journal.steps.iter().enumerate() {
        let Step::Move(from, to, number) = step else { continue };
        let way = ends.remove(from).filter(|&way| ways[way].number == *number);
        let way = way.unwrap_or_else(|| {
            ways.push(Way { number: *number, places: vec![from], steps: Vec::new() });
            ways.len() - 1
        });
        ways[way].places.push(to);
        ways[way].steps.push(at);
        ends.insert(to, way);
    }
    let mut uses: HashMap<&Place, usize> = HashMap::new();
    ways.iter().flat_map(|way| &way.places).for_each(|place| *uses.entry(place).or_default() += 1);
    let mut known = vec![None; journal.steps.len()];
    for way in ways.iter().filter(|way| way.number != 0) {
        let is_here = |at: &usize| number(&journal.base.join(way.places[*at].path())) == way.number;
        // Two names of one file have one number: places that are on no other way come first.
        let (own, shared): (Vec<usize>, Vec<usize>) =
            (0..way.places.len()).partition(|&at| uses[way.places[at]] == 1);
        let here = own.iter().chain(&shared).copied().find(|at| is_here(at));
        let Some(here) = here else { continue };
        for (place, &step) in way.steps.iter().enumerate() {
            known[step] = Some(place < here);
        }
    }
    known
}

/// Makes a step, unless it is known to be made.
fn make(base: &Path, step: &Step, known: Option<bool>) -> Result<(), String> {
    match step {
        Step::Move(..) if known == Some(true) => Ok(()),
        Step::MakeFolder(folder) => {
            let folder = base.join(folder.path());
            match fs::create_dir(&folder) {
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists && folder.is_dir() => {
                    Ok(())
                }
                made => made.map_err(|error| failed("make the folder", &folder, &error)),
            }
        }
        Step::Move(from, to, _) => moved(&base.join(from.path()), &base.join(to.path())),
        Step::RemoveFolder(folder, ..) => {
            let folder = base.join(folder.path());
            match fs::remove_dir(&folder) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
                // Something else is in it, which nobody asked to move.
                Err(error) if error.kind() == io::ErrorKind::DirectoryNotEmpty => Ok(()),
                removed => {
                    removed.map_err(|error| failed("remove the empty folder", &folder, &error))
                }
            }
        }
    }
}

/// Takes a step back, unless it is known not to be made.
fn unmake(base: &Path, step: &Step, known: Option<bool>) -> Result<(), String> {
    match step {
        Step::Move(..) if known == Some(false) => Ok(()),
        Step::MakeFolder(folder) => {
            let folder = base.join(folder.path());
            match fs::remove_dir(&folder) {
                Err(error)
                    // It was never made, or what is in it now is not ours.
                    if [
                        io::ErrorKind::NotFound,
                        io::ErrorKind::DirectoryNotEmpty,
                        io::ErrorKind::NotADirectory,
                    ]
                    .contains(&error.kind()) =>
                {
                    Ok(())
                }
                removed => removed.map_err(|error| failed("remove the folder", &folder, &error)),
            }
        }
        Step::Move(from, to, _) => moved(&base.join(to.path()), &base.join(from.path())),
        Step::RemoveFolder(folder, mode, _) => {
            let folder = base.join(folder.path());
            if is_there(&folder) {
                return Ok(());
            }
            fs::create_dir(&folder).map_err(|error| failed("make the folder", &folder, &error))?;
            set_mode(&folder, *mode);
            Ok(())
        }
    }
}

/// Moves a file, unless it is moved already. Never over another one.
fn moved(from: &Path, to: &Path) -> Result<(), String> {
    match (is_there(from), is_there(to)) {
        (true, false) => fs::rename(from, to).map_err(|error| match error.kind() {
            io::ErrorKind::CrossesDevices => {
                format!(
                    "cannot move {} to {}: they are on different file systems",
                    from.display(),
                    to.display()
                )
            }
            _ => failed("move", from, &error),
        }),
        (false, true) => Ok(()),
        (true, true) => {
            Err(format!("cannot move {}: {} is there already", from.display(), to.display()))
        }
        // Steps of a file that was never made, or taken back already.
        (false, false)
            if from.components().any(|part| part.as_os_str() == super::prepare::MADE) =>
        {
            Ok(())
        }
        (false, false) if to.components().any(|part| part.as_os_str() == super::prepare::MADE) => {
            Ok(())
        }
        (false, false) => Err(format!("{} is gone, and so is {}", from.display(), to.display())),
    }
}

fn set_time(folder: &Path, modified_ns: i64) {
    let time = SystemTime::UNIX_EPOCH + Duration::from_nanos(modified_ns.max(0).cast_unsigned());
    let set = fs::File::open(folder).and_then(|folder| folder.set_modified(time));
    if let Err(error) = set {
        tracing::debug!(folder = %folder.display(), %error, "time not kept");
    }
}

#[cfg(unix)]
fn set_mode(folder: &Path, mode: u32) {
    use std::os::unix::fs::PermissionsExt;
    let _ = fs::set_permissions(folder, fs::Permissions::from_mode(mode));
}

#[cfg(not(unix))]
fn set_mode(_: &Path, _: u32) {}
