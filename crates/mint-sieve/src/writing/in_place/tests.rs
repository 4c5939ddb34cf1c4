//! Journals that are stopped at every step, cut at every byte, and that meet what they did not expect.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, SystemTime};

use sieve_core::progress::{NoProgress, Progress};
use tempfile::TempDir;

use super::journal::{self, Journal, Place, State, Step};
use super::moves::{carry_out, take_back};
use crate::failure::Exit;

/// Asks to stop after some steps.
struct StopsAfter(u64, AtomicU64);

impl Progress for StopsAfter {
    fn begin(&self, _what: &'static str, _total: Option<u64>) {}

    fn advance(&self, steps: u64) {
        self.1.fetch_add(steps, Ordering::Relaxed);
    }

    fn stopped(&self) -> bool {
        self.1.load(Ordering::Relaxed) >= self.0
    }
}

const ASIDE: &str = "herbs-set-aside-1";

/// A collection of six files, and the folder that steps set files aside in.
struct Shed(TempDir);

impl Shed {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        for name in ["sage/1", "sage/2", "sage/3", "bay/1", "bay/2", "Bay /1"] {
            let file = folder.path().join("herbs").join(name);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(file, format!("the picture {name}")).unwrap();
        }
        for (days, name) in (1u64..).zip(["herbs/sage", "herbs/bay", "herbs/Bay ", "herbs"]) {
            let time = SystemTime::UNIX_EPOCH + Duration::from_secs(days * 86_400);
            fs::File::open(folder.path().join(name)).unwrap().set_modified(time).unwrap();
        }
        fs::create_dir(folder.path().join(ASIDE)).unwrap();
        Shed(folder)
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    /// Every file with its content, every folder with its time.
    fn tree(&self) -> BTreeMap<PathBuf, String> {
        fn collect(folder: &Path, tree: &mut BTreeMap<PathBuf, String>) {
            let time = fs::metadata(folder).unwrap().modified().unwrap();
            let time = time.duration_since(SystemTime::UNIX_EPOCH).unwrap().as_nanos();
            tree.insert(folder.to_owned(), time.to_string());
            for entry in fs::read_dir(folder).unwrap().map(Result::unwrap) {
                match entry.file_type().unwrap().is_dir() {
                    true => collect(&entry.path(), tree),
                    false => {
                        _ = tree.insert(entry.path(), fs::read_to_string(entry.path()).unwrap())
                    }
                }
            }
        }
        let mut tree = BTreeMap::new();
        collect(&self.path("herbs"), &mut tree);
        tree
    }

    /// The files of the collection.
    fn files(&self) -> Vec<String> {
        let root = self.path("herbs");
        let tree = self.tree();
        let files = tree.iter().filter(|(path, _)| path.is_file());
        let shown = |(path, content): (&PathBuf, &String)| {
            format!("{}: {content}", path.strip_prefix(&root).unwrap().display())
        };
        files.map(shown).collect()
    }

    /// Writes the journal of these steps.
    fn journal(&self, steps: &[Step]) -> Journal {
        let times = ["herbs/sage", "herbs/bay", "herbs/Bay ", "herbs"].map(|name| {
            let time = fs::metadata(self.path(name)).unwrap().modified().unwrap();
            let since = time.duration_since(SystemTime::UNIX_EPOCH).unwrap();
            (Place::new(Path::new(name)), since.as_nanos() as i64)
        });
        let (folder, root) = (Path::new(ASIDE), Path::new("herbs"));
        let plan = "a plan".to_owned();
        Journal::write(self.0.path(), folder, root, plan, steps.to_vec(), times.to_vec(), None)
            .unwrap()
    }
}

fn place(name: &str) -> Place {
    Place::new(Path::new(name))
}

/// A file is dropped, one is relabelled into a class that is new, two change names with each other, one takes the place of
/// the dropped one, a class goes.
fn steps(shed: &Shed) -> Vec<Step> {
    let moved = |file: &str, from: &str, to: &str| {
        Step::Move(place(from), place(to), journal::number(&shed.path(file)))
    };
    let wait = |number: u32| format!("herbs-set-aside-1/waiting/{number}");
    vec![
        Step::MakeFolder(place("herbs-set-aside-1/waiting")),
        Step::MakeFolder(place("herbs-set-aside-1/sage")),
        Step::MakeFolder(place("herbs/dill")),
        moved("herbs/sage/1", "herbs/sage/1", "herbs-set-aside-1/sage/1"),
        moved("herbs/sage/2", "herbs/sage/2", "herbs/dill/2"),
        moved("herbs/bay/1", "herbs/bay/1", &wait(1)),
        moved("herbs/bay/2", "herbs/bay/2", &wait(2)),
        moved("herbs/Bay /1", "herbs/Bay /1", &wait(3)),
        moved("herbs/bay/1", &wait(1), "herbs/bay/2"),
        moved("herbs/bay/2", &wait(2), "herbs/bay/1"),
        moved("herbs/Bay /1", &wait(3), "herbs/sage/1"),
        Step::RemoveFolder(place("herbs/Bay "), 0o755, 0),
    ]
}

const AFTER: [&str; 5] = [
    "bay/1: the picture bay/2",
    "bay/2: the picture bay/1",
    "dill/2: the picture sage/2",
    "sage/1: the picture Bay /1",
    "sage/3: the picture sage/3",
];

#[test]
fn steps_are_gone_on_with_or_taken_back_wherever_they_stopped() {
    let count = steps(&Shed::new()).len() as u64;
    for stop in 0..=count {
        for goes_on in [true, false] {
            let shed = Shed::new();
            let before = shed.tree();
            let steps = steps(&shed);
            let mut journal = shed.journal(&steps);
            let stopped = carry_out(&mut journal, &StopsAfter(stop, AtomicU64::new(0)));
            if stop < count {
                assert_eq!(stopped.unwrap_err().exit, Exit::Interrupted);
            } else {
                stopped.unwrap();
            }
            drop(journal);
            // Another run finds it.
            let mut journal = Journal::open(&shed.path(ASIDE)).unwrap();
            assert_eq!((&journal.steps, journal.plan.as_str()), (&steps, "a plan"));
            if goes_on {
                // Even where all was made, and only that was not written down.
                carry_out(&mut journal, &NoProgress).unwrap();
                assert_eq!(shed.files(), AFTER, "{stop}");
                assert!(!shed.path("herbs/Bay ").exists());
            }
            // Taking back may be stopped anywhere, too.
            let stop_back = (stop * 7 + 3) % count;
            let stopped = take_back(&mut journal, &StopsAfter(stop_back, AtomicU64::new(0)));
            assert_eq!(stopped.unwrap_err().exit, Exit::Interrupted);
            drop(journal);
            let mut journal = Journal::open(&shed.path(ASIDE)).unwrap();
            assert_eq!(journal.state, Some(State::Undoing));
            take_back(&mut journal, &NoProgress).unwrap();
            assert_eq!(shed.tree(), before, "{stop} {goes_on}");
            // Once more changes nothing.
            take_back(&mut journal, &NoProgress).unwrap();
            assert_eq!(shed.tree(), before);
        }
    }
}

#[test]
fn a_step_that_cannot_be_made_takes_all_others_back() {
    // What is in the way of each step, or gone, when it is reached.
    type Disturb = fn(&Shed);
    let disturbed: [(Disturb, &str); 3] = [
        (
            |shed| fs::write(shed.path("herbs-set-aside-1/waiting"), "in the way").unwrap(),
            "cannot make the folder",
        ),
        (|shed| fs::remove_file(shed.path("herbs/Bay /1")).unwrap(), "is gone"),
        (|shed| fs::write(shed.path("herbs/dill"), "a file").unwrap(), "cannot make the folder"),
    ];
    for (disturb, reason) in disturbed {
        let shed = Shed::new();
        let mut journal = shed.journal(&steps(&shed));
        disturb(&shed);
        let before = shed.files();
        let failure = carry_out(&mut journal, &NoProgress).unwrap_err();
        assert!(failure.message.contains(reason), "{}", failure.message);
        assert!(failure.message.contains("taken back"), "{}", failure.message);
        assert_eq!(shed.files(), before);
        assert!(!shed.path(ASIDE).join(journal::FILE).exists(), "nothing is left to be told");
    }
}

#[test]
fn a_journal_that_was_cut_anywhere_is_not_ready_or_whole() {
    let shed = Shed::new();
    let steps = steps(&shed);
    drop(shed.journal(&steps));
    let file = shed.path(ASIDE).join(journal::FILE);
    let whole = fs::read(&file).unwrap();
    let (mut unready, mut ready) = (0, 0);
    for length in 0..=whole.len() {
        fs::write(&file, &whole[..length]).unwrap();
        match Journal::read(&shed.path(ASIDE)) {
            Err(failure) => {
                assert!(failure.message.contains("cannot be used"), "{}", failure.message);
                unready += 1;
            }
            Ok(journal) if journal.state.is_none() => {
                assert!(steps.starts_with(&journal.steps));
                unready += 1;
            }
            Ok(journal) => {
                assert_eq!((journal.steps, journal.state), (steps.clone(), Some(State::Ready)));
                ready += 1;
            }
        }
    }
    // Only the last line says that it is ready, with or without its end.
    assert_eq!((ready, unready), (2, whole.len() - 1));
    fs::write(&file, b"{\"schema\":\"mint-sieve/journal/9\"}\n").unwrap();
    assert!(Journal::read(&file).unwrap_err().message.contains("does not begin as a journal does"));
}

#[test]
fn two_never_work_on_one_collection_and_journals_are_numbered() {
    let shed = Shed::new();
    drop(shed.journal(&steps(&shed)));
    let root = shed.path("herbs");
    let held = journal::locked(&root).unwrap();
    assert!(held.is_some());
    let refused = Journal::open(&shed.path(ASIDE)).unwrap_err();
    assert!(refused.message.contains("another apply or undo"), "{}", refused.message);
    drop(held);
    Journal::open(&shed.path(ASIDE)).unwrap();
    fs::create_dir(shed.path("herbs-set-aside-12")).unwrap();
    fs::create_dir(shed.path("herbs-set-aside-x")).unwrap();
    let (known, free) = journal::find(shed.0.path(), &root);
    let numbers: Vec<u32> = known.iter().map(|(number, _)| *number).collect();
    assert_eq!((numbers, free.to_str()), (vec![1, 12], Some("herbs-set-aside-13")));
}

#[test]
fn a_collection_that_was_copied_elsewhere_can_still_be_taken_back() {
    let shed = Shed::new();
    let before = shed.files();
    let mut journal = shed.journal(&steps(&shed));
    carry_out(&mut journal, &NoProgress).unwrap();
    drop(journal);
    // Every file is another one on the file system, as it is after a copy or when an editor has saved it.
    fn rewrite(folder: &Path) {
        for entry in fs::read_dir(folder).unwrap().map(Result::unwrap) {
            if entry.file_type().unwrap().is_dir() {
                rewrite(&entry.path());
            } else if entry.file_name() != journal::FILE {
                let content = fs::read(entry.path()).unwrap();
                fs::write(entry.path().with_extension("new"), content).unwrap();
                fs::rename(entry.path().with_extension("new"), entry.path()).unwrap();
            }
        }
    }
    rewrite(shed.0.path());
    let mut journal = Journal::open(&shed.path(ASIDE)).unwrap();
    take_back(&mut journal, &NoProgress).unwrap();
    assert_eq!(shed.files(), before);
}

#[cfg(unix)]
#[test]
fn two_names_of_one_file_change_places() {
    for stop in 0..12 {
        let shed = Shed::new();
        fs::remove_file(shed.path("herbs/bay/2")).unwrap();
        fs::hard_link(shed.path("herbs/bay/1"), shed.path("herbs/bay/2")).unwrap();
        let before = shed.files();
        let mut journal = shed.journal(&steps(&shed));
        let _ = carry_out(&mut journal, &StopsAfter(stop, AtomicU64::new(0)));
        drop(journal);
        let mut journal = Journal::open(&shed.path(ASIDE)).unwrap();
        take_back(&mut journal, &NoProgress).unwrap();
        assert_eq!(shed.files(), before, "{stop}");
    }
}

#[test]
fn names_of_any_bytes_come_back() {
    use std::ffi::OsStr;
    #[cfg(unix)]
    {
        use std::os::unix::ffi::OsStrExt;
        for bytes in [&b"a\xff\xfeb"[..], b"\\xff", b"a\nb\t\"", b"=cmd", "薄荷".as_bytes()] {
            let path = Path::new(OsStr::from_bytes(bytes));
            let text = serde_json::to_string(&Place::new(path)).unwrap();
            let back: Place = serde_json::from_str(&text).unwrap();
            assert_eq!(back.path().as_os_str().as_bytes(), bytes, "{text}");
        }
    }
}
