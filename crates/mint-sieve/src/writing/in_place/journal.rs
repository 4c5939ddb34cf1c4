//! The journal: every step, in the order in which it is made, and how far it has come.
//!
//! Lines of JSON, each sealed (see [`super::line`]): a head, what was made before the collection is touched, the steps, and
//! then how far they have come. What is not yet `ready` has changed nothing. Paths are relative to the folder that holds
//! the collection, so that all of it may be moved elsewhere.
//!
//! A journal may come with a collection from anywhere. Every path in it lies in the collection or in the folder of the
//! journal, or it is rejected; and nothing outside of these two is ever reached through it.

use std::ffi::OsStr;
use std::fs::{self, File};
use std::io::{BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use sieve_core::csv_escape::{of_path, path_of};
use sieve_core::files::{FileFacts, FileKind, InsidePath, RelPath, Root};
use sieve_core::io_reason;

use super::line::{lines, sealed};
use crate::failure::Failure;

/// The name of the file.
pub const FILE: &str = "journal.jsonl";
/// What the name of the folder beside a collection goes on with; a number follows.
const SET_ASIDE: &str = "-set-aside-";
/// What a journal says that it is.
const SCHEMA: &str = "mint-sieve/journal/2";
/// Greatest journal: some million steps.
const MOST_BYTES: u64 = 1 << 30;

/// One step. Each can be seen to be made or not, and both made and undone any number of times.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Step {
    /// A folder is made.
    MakeFolder(Place),
    /// A file goes from one place to another.
    Move {
        /// Where it is before.
        from: Place,
        /// Where it is after.
        to: Place,
        /// The number by which it is known again where another file has taken its place; 0 where it has none.
        number: u64,
        /// The digest of its bytes, as hexadecimal digits; none where they could not be read.
        digest: Option<String>,
    },
    /// A folder that was emptied goes aside, if nothing is left in it: so that owner, rights and all else that it has come
    /// back with it.
    MoveFolder {
        /// Where it is before.
        from: Place,
        /// Where it is after.
        to: Place,
        /// Its number on the file system.
        inode: u64,
    },
}

impl Step {
    /// The places that the step names.
    fn places(&self) -> impl Iterator<Item = &Place> {
        let (first, second) = match self {
            Step::MakeFolder(place) => (place, None),
            Step::Move { from, to, .. } | Step::MoveFolder { from, to, .. } => (from, Some(to)),
        };
        [Some(first), second].into_iter().flatten()
    }
}

/// A number by which a file is known again wherever it is moved to, as long as it is not written to: made of its number on
/// the file system, which another file may get once it is gone, its size and its time. 0 where there is none.
pub fn number(facts: &FileFacts) -> u64 {
    match facts.inode {
        0 => 0,
        inode => {
            let time = facts.modified_ns.cast_unsigned().rotate_left(41);
            inode ^ facts.size_bytes.rotate_left(24) ^ time | 1
        }
    }
}

/// A path below the folder that holds the collection. As text it keeps every byte.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Place(InsidePath);

impl Place {
    pub fn new(path: InsidePath) -> Self {
        Place(path)
    }

    pub fn path(&self) -> &InsidePath {
        &self.0
    }

    /// As it is shown.
    pub fn shown(&self) -> String {
        RelPath::new(self.0.as_path()).to_string()
    }
}

impl Serialize for Place {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        of_path(&RelPath::new(self.0.as_path())).serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for Place {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        let path = InsidePath::new(&path_of(&text));
        path.map(Place).map_err(|why| serde::de::Error::custom(format!("the path {text:?}: {why}")))
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
    /// Some of them may have been undone.
    Undoing,
    /// All of them were.
    Undone,
}

#[derive(Default, Serialize, Deserialize)]
struct Head {
    schema: String,
    /// Random: no two journals have the same.
    token: String,
    /// The numbers of the folder and of the journal on the file system: a copy has others.
    folder: u64,
    journal: u64,
    /// The digest of the plan.
    plan: String,
    /// The collection.
    root: String,
    /// Times of folders before any step.
    times: Vec<(Place, i64)>,
}

/// A line of a journal after its head.
#[derive(Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Entry {
    /// A file or folder that was made for the steps, with its number.
    Made(Place, u64),
    /// A step.
    Step(Step),
    /// How far it has come.
    State(State),
}

/// How a journal is read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reading {
    /// Damage is an error.
    Strict,
    /// Damaged lines are left out, so that the others can be undone.
    Salvage,
}

/// A journal on disk.
#[derive(Debug)]
pub struct Journal {
    /// The folder that holds the collection and what is set aside; open.
    pub base: Root,
    /// What is set aside, and the journal, below it.
    pub folder: InsidePath,
    /// The collection, below it.
    pub root: InsidePath,
    /// The digest of the plan.
    pub plan: String,
    /// All steps.
    pub steps: Vec<Step>,
    /// What was made for them in the folder, with its numbers.
    pub made: Vec<(Place, u64)>,
    /// Times of folders before any step, in nanoseconds since 1970.
    pub times: Vec<(Place, i64)>,
    /// How far it has come; none where it never became ready.
    pub state: Option<State>,
    /// The numbers of lines that are damaged and were left out.
    pub damaged: Vec<usize>,
    /// Whether it is the very file that was written here, and not a copy.
    is_original: bool,
    /// Bytes of it that are intact.
    end: u64,
    /// Held while this run works on the collection.
    _lock: Option<File>,
}

/// A journal while it is written.
pub struct Draft {
    base: Root,
    folder: InsidePath,
    root: InsidePath,
    plan: String,
    times: Vec<(Place, i64)>,
    made: Vec<(Place, u64)>,
    out: BufWriter<File>,
    end: u64,
    lock: Option<File>,
}

impl Draft {
    /// Begins a journal in the folder, which is there and empty.
    pub fn begin(
        base: Root,
        folder: InsidePath,
        root: InsidePath,
        plan: String,
        times: Vec<(Place, i64)>,
        lock: Option<File>,
    ) -> Result<Self, Failure> {
        let place = journal_file(&folder);
        let begin = || -> std::io::Result<Draft> {
            let file = base.create(&place)?;
            let head = Head {
                schema: SCHEMA.to_owned(),
                token: token(),
                folder: base.facts(&folder)?.inode,
                journal: base.facts(&place)?.inode,
                plan: plan.clone(),
                root: of_path(&RelPath::new(root.as_path())),
                times: times.clone(),
            };
            let mut out = BufWriter::new(file);
            let line = sealed(&serde_json::to_string(&head)?);
            out.write_all(line.as_bytes())?;
            // Written down before anything is made: only what it names is ever removed.
            out.flush()?;
            let end = line.len() as u64;
            let made = Vec::new();
            Ok(Draft {
                base: Root::open(base.path())?,
                folder: folder.clone(),
                root,
                plan: plan.clone(),
                times: times.clone(),
                made,
                out,
                end,
                lock,
            })
        };
        begin().map_err(|error| unwritten(&base.path().join(place.as_path()), &error, UNCHANGED))
    }

    /// The folder that holds the collection.
    pub fn base(&self) -> &Root {
        &self.base
    }

    fn put(&mut self, entry: &Entry) -> std::io::Result<()> {
        let line = sealed(&serde_json::to_string(entry)?);
        self.end += line.len() as u64;
        self.out.write_all(line.as_bytes())
    }

    /// Writes down that this run made a file or folder in the folder of the journal.
    pub fn note_made(&mut self, place: Place, number: u64) -> std::io::Result<()> {
        self.put(&Entry::Made(place.clone(), number))?;
        self.made.push((place, number));
        self.out.flush()
    }

    /// Writes the steps and says that they are ready.
    pub fn finish(mut self, steps: Vec<Step>) -> Result<Journal, Failure> {
        let file = self.base.path().join(journal_file(&self.folder).as_path());
        let mut write = || -> std::io::Result<()> {
            steps.iter().try_for_each(|step| self.put(&Entry::Step(step.clone())))?;
            self.out.flush()?;
            self.out.get_ref().sync_all()
        };
        let written = write();
        let mut journal = self.with(steps);
        if let Err(error) = written {
            let _ = discard(&journal);
            return Err(unwritten(&file, &error, UNCHANGED));
        }
        if let Err(failure) = journal.reach(State::Ready, UNCHANGED) {
            let _ = discard(&journal);
            return Err(failure);
        }
        Ok(journal)
    }

    /// Gives up: nothing of the collection was touched, and what was made goes.
    pub fn abandon(self) {
        let _ = discard(&self.with(Vec::new()));
    }

    fn with(self, steps: Vec<Step>) -> Journal {
        Journal {
            base: self.base,
            folder: self.folder,
            root: self.root,
            plan: self.plan,
            steps,
            made: self.made,
            times: self.times,
            state: None,
            damaged: Vec::new(),
            is_original: true,
            end: self.end,
            _lock: self.lock,
        }
    }
}

const UNCHANGED: &str = "The collection was not changed.";

/// 32 hexadecimal digits that nobody can foresee.
fn token() -> String {
    use std::hash::{BuildHasher, RandomState};
    let half = || RandomState::new().hash_one(std::process::id());
    format!("{:016x}{:016x}", half(), half())
}

fn journal_file(folder: &InsidePath) -> InsidePath {
    folder.join(FILE).expect("a short name in an existing folder")
}

impl Journal {
    /// Reads a journal, or that in a folder. Takes the collection's lock.
    pub fn open(path: &Path, reading: Reading) -> Result<Self, Failure> {
        let journal = Self::read(path, reading)?;
        let lock = locked(&journal.base, &journal.root)?;
        Ok(Journal { _lock: lock, ..journal })
    }

    /// Reads a journal, or that in a folder, without a lock.
    pub fn read(path: &Path, reading: Reading) -> Result<Self, Failure> {
        let file = if path.is_dir() { path.join(FILE) } else { path.to_owned() };
        let shown = file.display();
        let wrong = |reason: String| {
            Failure::input(format!("the journal {shown} cannot be used: {reason}"))
        };
        let absent = |error: std::io::Error| {
            wrong(io_reason(&error))
                .hint("Expected the folder that apply --in-place made beside the collection.")
        };
        let folder = super::super::parent(&file).canonicalize().map_err(absent)?;
        let base = Root::open(super::super::parent(&folder)).map_err(absent)?;
        let name = InsidePath::of_name(folder.file_name().unwrap_or_default());
        let name = name.map_err(|why| wrong(why.to_string()))?;
        if file.file_name() != Some(OsStr::new(FILE)) {
            return Err(wrong(format!("it is not called {FILE}")));
        }
        let root = root_of(&name).ok_or_else(|| {
            wrong(
                "its folder is not named NAME-set-aside-NUMBER, as apply --in-place names it"
                    .to_owned(),
            )
        })?;
        let place = journal_file(&name);
        let mut bytes = Vec::new();
        let opened = base.read(&place).map_err(absent)?;
        opened.take(MOST_BYTES + 1).read_to_end(&mut bytes).map_err(absent)?;
        if bytes.len() as u64 > MOST_BYTES {
            return Err(wrong(format!("it is larger than {MOST_BYTES} bytes")));
        }
        let facts = (base.facts(&name).map_err(absent)?, base.facts(&place).map_err(absent)?);
        let mut read = Contents::default();
        let lines = lines(&bytes);
        let mut damaged = lines.damaged;
        for (line, content) in lines.intact {
            // What is sealed and still makes no sense was not written by this program.
            read.take(line, content, &root, &name)
                .map_err(|why| wrong(format!("line {line}: {why}")))?;
        }
        let head = match read.head {
            Some(head) => head,
            // The name of the folder says which collection it is for.
            None if reading == Reading::Salvage && damaged.contains(&1) => Head::default(),
            None if damaged.contains(&1) && !read.steps.is_empty() => Head::default(),
            // Killed before the head was written.
            None if damaged.is_empty() => Head::default(),
            None => return Err(wrong("it does not start like a journal".to_owned())),
        };
        damaged.sort_unstable();
        if let (Some(first), Reading::Strict) = (damaged.first(), reading) {
            let many = match damaged.len() {
                1 => format!("line {first} is damaged"),
                lines => format!("{lines} lines are damaged, the first of them is line {first}"),
            };
            return Err(wrong(many).hint(format!(
                "Nothing was changed. To undo the steps on the intact lines: mint-sieve undo --salvage {}",
                super::super::parent(&file).display()
            )));
        }
        // Where the line that says so is lost, steps may have been made.
        let state =
            read.state.or((!damaged.is_empty() && !read.steps.is_empty()).then_some(State::Ready));
        let is_original =
            facts.0.inode != 0 && (head.folder, head.journal) == (facts.0.inode, facts.1.inode);
        Ok(Journal {
            base,
            folder: name,
            root,
            plan: head.plan,
            steps: read.steps,
            made: read.made,
            times: head.times,
            state,
            damaged,
            is_original,
            end: lines.end,
            _lock: None,
        })
    }

    /// Writes down how far it has come. `hint` says what that means where it cannot be written.
    pub fn reach(&mut self, state: State, hint: &str) -> Result<(), Failure> {
        let place = journal_file(&self.folder);
        let line = sealed(&serde_json::to_string(&Entry::State(state)).expect("a plain value"));
        let write = || -> std::io::Result<()> {
            let mut file = self.base.edit(&place)?;
            // What a kill has left of a line would spoil this one.
            file.set_len(self.end)?;
            file.seek(SeekFrom::End(0))?;
            if let Err(error) = file.write_all(line.as_bytes()).and_then(|()| file.sync_all()) {
                let _ = file.set_len(self.end);
                return Err(error);
            }
            Ok(())
        };
        let file = self.base.path().join(place.as_path());
        write().map_err(|error| unwritten(&file, &error, hint))?;
        self.end += line.len() as u64;
        self.state = Some(state);
        Ok(())
    }

    /// The files that are set aside, other than the journal.
    pub fn files_aside(&self) -> std::io::Result<Vec<InsidePath>> {
        let mut files = Vec::new();
        let mut left = vec![self.folder.clone()];
        while let Some(folder) = left.pop() {
            for (name, kind) in self.base.folder(&folder)?.entries()? {
                let Ok(path) = folder.join_path(&name) else { continue };
                match kind {
                    FileKind::Folder => left.push(path),
                    _ if path == journal_file(&self.folder) => {}
                    _ => files.push(path),
                }
            }
        }
        files.sort();
        Ok(files)
    }

    /// The folder, as a person would type it from here.
    pub fn shown(&self) -> PathBuf {
        let whole = self.base.path().join(self.folder.as_path());
        let here = std::env::current_dir().and_then(|here| here.canonicalize());
        here.ok()
            .and_then(|here| whole.strip_prefix(here).map(Path::to_owned).ok())
            .unwrap_or(whole)
    }
}

/// What the lines of a journal say.
#[derive(Default)]
struct Contents {
    head: Option<Head>,
    steps: Vec<Step>,
    made: Vec<(Place, u64)>,
    state: Option<State>,
}

impl Contents {
    fn take(
        &mut self,
        line: usize,
        content: &str,
        root: &InsidePath,
        folder: &InsidePath,
    ) -> Result<(), String> {
        let is_below = |place: &Place, folder: &InsidePath| {
            place.path().is_in(folder) && place.path() != folder
        };
        let is_aside =
            |place: &Place| is_below(place, folder) && *place.path() != journal_file(folder);
        let outside = |place: &Place| {
            let (root, folder) = (root.as_path().display(), folder.as_path().display());
            format!("the path {:?} is neither in {root} nor in {folder}", place.shown())
        };
        if line == 1 {
            let head: Head = serde_json::from_str(content).map_err(|error| error.to_string())?;
            if head.schema != SCHEMA {
                return Err(format!(
                    "its schema is {:?}; expected {SCHEMA}",
                    shortened(&head.schema)
                ));
            }
            if path_of(&head.root) != root.as_path() {
                return Err(format!("it is for another collection, {:?}", shortened(&head.root)));
            }
            let is_root = |place: &Place| place.path().is_in(root);
            if let Some((place, _)) = head.times.iter().find(|(place, _)| !is_root(place)) {
                return Err(outside(place));
            }
            self.head = Some(head);
            return Ok(());
        }
        match serde_json::from_str(content).map_err(|error| error.to_string())? {
            Entry::Made(place, _) if !is_aside(&place) => return Err(outside(&place)),
            Entry::Made(place, number) => self.made.push((place, number)),
            Entry::Step(step) => {
                let is_ours = |place: &&Place| is_below(place, root) || is_aside(place);
                if let Some(place) = step.places().find(|place| !is_ours(place)) {
                    return Err(outside(place));
                }
                self.steps.push(step);
            }
            Entry::State(state) => self.state = Some(state),
        }
        Ok(())
    }
}

/// Enough of a text that somebody else wrote.
fn shortened(text: &str) -> String {
    text.chars().take(60).collect()
}

/// Removes a journal that never became ready, with what its run made for it, and its folder if nothing else is in it. Only
/// what the journal names is removed, and only if it is the very journal that was written here. False where that leaves
/// something.
pub fn discard(journal: &Journal) -> std::io::Result<bool> {
    if !journal.is_original || journal.state.is_some() || !journal.damaged.is_empty() {
        return Ok(false);
    }
    remove_made(journal)?;
    forget(journal)
}

/// Removes what was made in the folder of the journal, as far as it is there and is what was made.
pub fn remove_made(journal: &Journal) -> std::io::Result<()> {
    if !journal.is_original {
        return Ok(());
    }
    // Files before the folders that hold them.
    for (place, known) in journal.made.iter().rev() {
        let Ok(facts) = journal.base.facts(place.path()) else { continue };
        match facts.kind {
            FileKind::Folder if facts.inode == *known => {
                // One that holds something stays.
                let _ = journal.base.remove_folder(place.path());
            }
            FileKind::File if number(&facts) == *known => journal.base.remove_file(place.path())?,
            _ => {}
        }
    }
    Ok(())
}

/// Removes the journal and its folder, unless something else is in that.
pub fn forget(journal: &Journal) -> std::io::Result<bool> {
    let entries = journal.base.folder(&journal.folder)?.entries()?;
    if entries.len() != 1 {
        return Ok(false);
    }
    journal.base.remove_file(&journal_file(&journal.folder))?;
    journal.base.remove_folder(&journal.folder)?;
    Ok(true)
}

fn unwritten(file: &Path, error: &std::io::Error, hint: &str) -> Failure {
    Failure::output(format!("cannot write {}: {}", file.display(), io_reason(error))).hint(hint)
}

/// Locks a collection against every other `apply` and `undo`, as long as the file is open.
pub fn locked(base: &Root, root: &InsidePath) -> Result<Option<File>, Failure> {
    // Not every system opens folders, and not every file system knows locks.
    let folder = base.folder(root).and_then(|folder| folder.as_file());
    let Ok(folder) = folder else { return Ok(None) };
    match folder.try_lock() {
        Ok(()) => Ok(Some(folder)),
        Err(fs::TryLockError::Error(_)) => Ok(None),
        Err(fs::TryLockError::WouldBlock) => {
            let root = base.path().join(root.as_path());
            let message = format!("another `apply` or `undo` is running on {}", root.display());
            Err(Failure::input(message).hint("Nothing was changed. Wait until it has finished."))
        }
    }
}

/// The collection of the folder of a journal, by its name.
fn root_of(folder: &InsidePath) -> Option<InsidePath> {
    let name = of_path(&RelPath::new(folder.as_path()));
    let (root, digits) = name.rsplit_once(SET_ASIDE)?;
    number_of(digits)?;
    InsidePath::of_name(path_of(root)).ok()
}

/// The number of a folder of a journal; none of digits that this program would not write.
fn number_of(digits: &str) -> Option<u32> {
    let is_plain = digits.bytes().all(|byte| byte.is_ascii_digit()) && digits.len() < 10;
    digits.parse().ok().filter(|number: &u32| is_plain && number.to_string() == digits)
}

/// The folders of journals beside a collection, by their numbers, and the next free name.
pub fn find(
    base: &Root,
    root: &InsidePath,
) -> Result<(Vec<(u32, InsidePath)>, InsidePath), Failure> {
    let unlisted = |error: std::io::Error| {
        Failure::input(format!("cannot read {}: {}", base.path().display(), io_reason(&error)))
    };
    let mut known: Vec<(u32, InsidePath)> = Vec::new();
    for (name, kind) in base.entries().map_err(unlisted)? {
        let bytes = name.file_name().as_encoded_bytes();
        let rest = bytes.strip_prefix(root.file_name().as_encoded_bytes());
        let digits = rest.and_then(|rest| rest.strip_prefix(SET_ASIDE.as_bytes()));
        let number = digits.and_then(|digits| number_of(std::str::from_utf8(digits).ok()?));
        if let Some(number) = number.filter(|_| kind == FileKind::Folder) {
            known.push((number, name));
        }
    }
    known.sort();
    let free = |number: &u32| {
        let mut name = root.file_name().to_owned();
        name.push(format!("{SET_ASIDE}{number}"));
        let name = InsidePath::of_name(name).ok()?;
        base.facts(&name).is_err().then_some(name)
    };
    let first = known.last().map_or(1, |(number, _)| number + 1);
    let free = (first..first.saturating_add(1000)).find_map(|number| free(&number));
    let free = free.ok_or_else(|| {
        Failure::output(format!("no folder can be made beside {}", root.as_path().display()))
            .hint(UNCHANGED)
    })?;
    Ok((known, free))
}
