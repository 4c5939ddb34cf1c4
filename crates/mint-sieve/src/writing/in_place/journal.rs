//! The journal: every step, in the order in which it is made, and how far it has come.
//!
//! Lines of JSON: a head, the steps, and then what has become of them. What is not yet `ready` has changed nothing.
//! Paths are relative to the folder that holds the collection, so that all of it may be moved elsewhere.

use std::fs::{self, File};
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use sieve_core::cell::{of_path, path_of};
use sieve_core::files::RelPath;
use sieve_core::{input, io_reason};

use crate::failure::Failure;

/// The name of the file.
pub const FILE: &str = "journal.jsonl";
/// What the name of the folder beside a collection goes on with; a number follows.
const SET_ASIDE: &str = "-set-aside-";
/// What a journal says that it is.
const SCHEMA: &str = "mint-sieve/journal/1";
/// Greatest journal: some million steps.
const MOST_BYTES: u64 = 1 << 30;

/// One step. Each can be seen to be made or not, and both made and taken back any number of times.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Step {
    /// A folder is made.
    MakeFolder(Place),
    /// A file goes from one place to another; with the number by which it is known again where another file has taken its
    /// place, 0 where it has none.
    Move(Place, Place, u64),
    /// A folder goes if nothing is left in it; with its mode and its time, to make it again.
    RemoveFolder(Place, u32, i64),
}

/// A number by which a file is known again wherever it is moved to, as long as it is not written to: made of its number on
/// the file system, which another file may get once it is gone, its size and its time. 0 where there is none.
pub fn number(file: &Path) -> u64 {
    #[cfg(unix)]
    return file.symlink_metadata().map_or(0, |facts| {
        use std::os::unix::fs::MetadataExt;
        let time = facts.mtime().wrapping_mul(1_000_000_000).wrapping_add(facts.mtime_nsec());
        facts.ino() ^ facts.size().rotate_left(24) ^ time.cast_unsigned().rotate_left(41) | 1
    });
    #[cfg(not(unix))]
    return {
        let _ = file;
        0
    };
}

/// A path below the folder that holds the collection, as text that keeps every byte.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Place(String);

impl Place {
    pub fn new(path: &Path) -> Self {
        Place(of_path(&RelPath::new(path)))
    }

    pub fn path(&self) -> PathBuf {
        path_of(&self.0)
    }
}

/// How far a journal has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum State {
    /// Steps may have been made.
    Ready,
    /// All of them were.
    Done,
    /// Some of them may have been taken back.
    Undoing,
    /// All of them were.
    Undone,
}

#[derive(Serialize, Deserialize)]
struct Head {
    schema: String,
    /// The digest of the plan.
    plan: String,
    /// The collection.
    root: Place,
    steps: usize,
    /// Times of folders before any step.
    times: Vec<(Place, i64)>,
}

#[derive(Serialize, Deserialize)]
struct Reached {
    state: State,
}

/// A journal on disk.
#[derive(Debug)]
pub struct Journal {
    /// The folder that holds the collection and what is set aside.
    pub base: PathBuf,
    /// What is set aside, and the journal, below it.
    pub folder: PathBuf,
    /// The collection, below it.
    pub root: PathBuf,
    /// The digest of the plan.
    pub plan: String,
    /// All steps.
    pub steps: Vec<Step>,
    /// Times of folders before any step, in nanoseconds since 1970.
    pub times: Vec<(Place, i64)>,
    /// How far it has come; none where it never became ready.
    pub state: Option<State>,
    /// Held while this run works on the collection.
    _lock: Option<File>,
}

impl Journal {
    /// Writes a new journal into the folder, which is there, and says that it is ready.
    pub fn write(
        base: &Path,
        folder: &Path,
        root: &Path,
        plan: String,
        steps: Vec<Step>,
        times: Vec<(Place, i64)>,
        lock: Option<File>,
    ) -> Result<Self, Failure> {
        let file = base.join(folder).join(FILE);
        let written = || -> std::io::Result<()> {
            let mut out = BufWriter::new(File::create_new(&file)?);
            let head = Head {
                schema: SCHEMA.to_owned(),
                plan: plan.clone(),
                root: Place::new(root),
                steps: steps.len(),
                times: times.clone(),
            };
            let mut line = |value: String| writeln!(out, "{value}");
            line(serde_json::to_string(&head)?)?;
            steps.iter().try_for_each(|step| line(serde_json::to_string(step)?))?;
            let out = out.into_inner().map_err(|error| error.into_error())?;
            out.sync_all()
        };
        written().map_err(|error| unwritten(&file, &error))?;
        let mut journal = Journal {
            base: base.to_owned(),
            folder: folder.to_owned(),
            root: root.to_owned(),
            plan,
            steps,
            times,
            state: None,
            _lock: lock,
        };
        journal.reach(State::Ready)?;
        Ok(journal)
    }

    /// Reads a journal, or that in a folder. Takes the collection's lock.
    pub fn open(path: &Path) -> Result<Self, Failure> {
        let journal = Self::read(path)?;
        let lock = locked(&journal.base.join(&journal.root))?;
        Ok(Journal { _lock: lock, ..journal })
    }

    /// Reads a journal, or that in a folder, without a lock.
    pub fn read(path: &Path) -> Result<Self, Failure> {
        let file = if path.is_dir() { path.join(FILE) } else { path.to_owned() };
        let shown = file.display();
        let wrong = |reason: String| {
            Failure::input(format!("the journal {shown} cannot be used: {reason}"))
        };
        let text = input::read_text(&file, MOST_BYTES).map_err(|reason| {
            wrong(reason)
                .hint("Expected the folder that apply --in-place made beside the collection.")
        })?;
        let absolute = file.canonicalize().map_err(|error| wrong(io_reason(&error)))?;
        let folder = super::super::parent(&absolute).to_owned();
        let base = super::super::parent(&folder).to_owned();
        let mut lines = text.lines();
        let head: Head = lines
            .next()
            .and_then(|line| serde_json::from_str(line).ok())
            .filter(|head: &Head| head.schema == SCHEMA)
            .ok_or_else(|| wrong("it does not begin as a journal does".to_owned()))?;
        let mut steps = Vec::with_capacity(head.steps);
        let mut state = None;
        for (at, line) in lines.enumerate() {
            if at < head.steps {
                match serde_json::from_str(line) {
                    Ok(step) => steps.push(step),
                    // Cut off while it was written: it never became ready.
                    Err(_) => break,
                }
            } else if let Ok(Reached { state: reached }) = serde_json::from_str(line) {
                state = Some(reached);
            }
        }
        let root = head.root.path();
        let folder = PathBuf::from(folder.file_name().unwrap_or_default());
        Ok(Journal {
            base,
            folder,
            root,
            plan: head.plan,
            steps,
            times: head.times,
            state,
            _lock: None,
        })
    }

    /// Writes down how far it has come.
    pub fn reach(&mut self, state: State) -> Result<(), Failure> {
        let file = self.base.join(&self.folder).join(FILE);
        let written = || -> std::io::Result<()> {
            let mut out = fs::OpenOptions::new().append(true).open(&file)?;
            // In one piece, so that a kill leaves a whole line or none.
            out.write_all(format!("{}\n", serde_json::to_string(&Reached { state })?).as_bytes())?;
            out.sync_all()
        };
        written().map_err(|error| unwritten(&file, &error))?;
        self.state = Some(state);
        Ok(())
    }

    /// Removes a journal of which nothing is left to be told, and its folder if nothing else is in it.
    pub fn forget(&self) {
        let folder = self.base.join(&self.folder);
        let _ = fs::remove_file(folder.join(FILE)).and_then(|()| fs::remove_dir(&folder));
    }

    /// The folder, as a person would type it from here.
    pub fn shown(&self) -> PathBuf {
        let whole = self.base.join(&self.folder);
        let here = std::env::current_dir().and_then(|here| here.canonicalize());
        here.ok()
            .and_then(|here| whole.strip_prefix(here).map(Path::to_owned).ok())
            .unwrap_or(whole)
    }
}

fn unwritten(file: &Path, error: &std::io::Error) -> Failure {
    Failure::output(format!("cannot write {}: {}", file.display(), io_reason(error)))
        .hint("The collection was not changed.")
}

/// Locks a collection against every other `apply` and `undo`, as long as the file is open.
pub fn locked(root: &Path) -> Result<Option<File>, Failure> {
    // Not every system opens folders, and not every file system knows locks.
    let Ok(folder) = File::open(root) else { return Ok(None) };
    match folder.try_lock() {
        Ok(()) => Ok(Some(folder)),
        Err(fs::TryLockError::Error(_)) => Ok(None),
        Err(fs::TryLockError::WouldBlock) => {
            let message = format!("another apply or undo is at work on {}", root.display());
            Err(Failure::input(message).hint("Nothing was changed. Wait until it has ended."))
        }
    }
}

/// The folders of journals beside a collection, by their numbers, and the next free name.
pub fn find(base: &Path, root: &Path) -> (Vec<(u32, PathBuf)>, PathBuf) {
    let name = root.file_name().unwrap_or_default();
    let start = format!("{}{SET_ASIDE}", name.to_string_lossy());
    let number = |entry: &fs::DirEntry| -> Option<u32> {
        entry.file_name().to_string_lossy().strip_prefix(&start)?.parse().ok()
    };
    let entries = fs::read_dir(base).into_iter().flatten().flatten();
    let mut known: Vec<(u32, PathBuf)> =
        entries.filter_map(|entry| Some((number(&entry)?, entry.path()))).collect();
    known.sort();
    let next = known.last().map_or(1, |(number, _)| number + 1);
    let mut free = name.to_owned();
    free.push(format!("{SET_ASIDE}{next}"));
    (known, free.into())
}
