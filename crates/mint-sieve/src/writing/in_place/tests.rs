//! Journals that are stopped at every step, cut at every byte, and that meet what they did not expect.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, SystemTime};

use sieve_core::files::{InsidePath, Root};
use sieve_core::measuring::Digest;
use sieve_core::progress::{NoProgress, Progress};
use tempfile::TempDir;

use super::journal::{self, Draft, Journal, Place, Reading, State, Step};
use super::line::sealed;
use super::moves::carry_out;
use super::undo::{Restored, take_back};
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
            (place(name), since.as_nanos() as i64)
        });
        let [folder, root] = [ASIDE, "herbs"].map(|name| place(name).path().clone());
        let base = Root::open(self.0.path()).unwrap();
        let draft = Draft::begin(base, folder, root, "a plan".to_owned(), times.to_vec(), None);
        draft.unwrap().finish(steps.to_vec()).unwrap()
    }

    /// The journal that another run finds.
    fn open(&self) -> Journal {
        Journal::open(&self.path(ASIDE), Reading::Strict).unwrap()
    }

    fn journal_file(&self) -> PathBuf {
        self.path(ASIDE).join(journal::FILE)
    }
}

fn place(name: &str) -> Place {
    Place::new(InsidePath::new(Path::new(name)).unwrap())
}

/// A file is dropped, one is relabelled into a class that is new, two change names with each other, one takes the place of
/// the dropped one, a class goes.
fn steps(shed: &Shed) -> Vec<Step> {
    let base = Root::open(shed.0.path()).unwrap();
    let facts = |name: &str| base.facts(place(name).path()).unwrap();
    let moved = |file: &str, from: &str, to: &str| Step::Move {
        from: place(from),
        to: place(to),
        number: journal::number(&facts(file)),
        digest: Some(Digest::of_bytes(&fs::read(shed.path(file)).unwrap()).to_string()),
    };
    let wait = |number: u32| format!("herbs-set-aside-1/waiting/{number}");
    vec![
        Step::MakeFolder(place("herbs-set-aside-1/waiting")),
        Step::MakeFolder(place("herbs-set-aside-1/sage")),
        Step::MakeFolder(place("herbs-set-aside-1/emptied")),
        Step::MakeFolder(place("herbs/dill")),
        moved("herbs/sage/1", "herbs/sage/1", "herbs-set-aside-1/sage/1"),
        moved("herbs/sage/2", "herbs/sage/2", "herbs/dill/2"),
        moved("herbs/bay/1", "herbs/bay/1", &wait(1)),
        moved("herbs/bay/2", "herbs/bay/2", &wait(2)),
        moved("herbs/Bay /1", "herbs/Bay /1", &wait(3)),
        moved("herbs/bay/1", &wait(1), "herbs/bay/2"),
        moved("herbs/bay/2", &wait(2), "herbs/bay/1"),
        moved("herbs/Bay /1", &wait(3), "herbs/sage/1"),
        Step::MoveFolder {
            from: place("herbs/Bay "),
            to: place("herbs-set-aside-1/emptied/0"),
            inode: facts("herbs/Bay ").inode,
        },
    ]
}

fn undone(journal: &mut Journal) -> Restored {
    take_back(journal, &NoProgress).unwrap()
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
            let mut journal = shed.open();
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
            let mut journal = shed.open();
            assert_eq!(journal.state, Some(State::Undoing));
            assert!(undone(&mut journal).is_whole());
            assert_eq!(shed.tree(), before, "{stop} {goes_on}");
            // Once more changes nothing.
            assert!(undone(&mut journal).is_whole());
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
        (|shed| fs::remove_file(shed.path("herbs/Bay /1")).unwrap(), "neither"),
        (|shed| fs::write(shed.path("herbs/dill"), "a file").unwrap(), "cannot make the folder"),
    ];
    for (disturb, reason) in disturbed {
        let shed = Shed::new();
        let mut journal = shed.journal(&steps(&shed));
        disturb(&shed);
        let before = shed.files();
        let failure = carry_out(&mut journal, &NoProgress).unwrap_err();
        assert!(failure.message.contains(reason), "{}", failure.message);
        assert_eq!(shed.files(), before);
        // A file that is gone is named; then what was done before is not all undone.
        match reason {
            "neither" => assert_eq!(failure.details, ["missing: herbs/Bay /1"]),
            _ => assert!(failure.message.contains("undone"), "{}", failure.message),
        }
        // What somebody else put there stays, and the journal with it.
        let is_left = shed.path("herbs-set-aside-1/waiting").exists() || reason == "neither";
        assert_eq!(shed.journal_file().exists(), is_left, "{reason}");
    }
}

#[test]
fn a_journal_that_was_cut_anywhere_is_not_ready_or_whole() {
    let shed = Shed::new();
    let steps = steps(&shed);
    drop(shed.journal(&steps));
    let file = shed.journal_file();
    let whole = fs::read(&file).unwrap();
    let (mut unready, mut ready) = (0, 0);
    for length in 0..=whole.len() {
        fs::write(&file, &whole[..length]).unwrap();
        match Journal::read(&shed.path(ASIDE), Reading::Strict) {
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
    // Only the whole last line says that it is ready.
    assert_eq!((ready, unready), (1, whole.len()));
    fs::write(&file, sealed("{\"schema\":\"mint-sieve/journal/9\"}")).unwrap();
    assert!(Journal::read(&file, Reading::Strict).unwrap_err().message.contains("line 1"));
}

#[test]
fn a_torn_line_does_not_spoil_the_next_state_and_other_damage_is_refused() {
    let shed = Shed::new();
    let before = shed.tree();
    let mut journal = shed.journal(&steps(&shed));
    carry_out(&mut journal, &NoProgress).unwrap();
    drop(journal);
    let file = shed.journal_file();
    let whole = fs::read(&file).unwrap();
    // The last line was cut off: it was applied, and only that is not written down.
    fs::write(&file, &whole[..whole.len() - 9]).unwrap();
    let mut journal = shed.open();
    assert_eq!(journal.state, Some(State::Ready));
    carry_out(&mut journal, &NoProgress).unwrap();
    drop(journal);
    assert_eq!(fs::read(&file).unwrap(), whole);
    // A letter of any line before is another one.
    let lines: Vec<&[u8]> = whole.split_inclusive(|&byte| byte == b'\n').collect();
    for (number, line) in lines.iter().enumerate() {
        let mut damaged = whole.clone();
        let start: usize = lines[..number].iter().map(|line| line.len()).sum();
        damaged[start + line.len() / 2] ^= 1;
        fs::write(&file, &damaged).unwrap();
        let refused = Journal::read(&shed.path(ASIDE), Reading::Strict).unwrap_err();
        let reason = format!("line {} is damaged", number + 1);
        assert!(refused.message.contains(&reason), "{}", refused.message);
        assert!(refused.hint.unwrap().contains("--salvage"));
        assert_eq!(fs::read(&file).unwrap(), damaged, "never deleted, never changed");
    }
    // A step is lost: the others are undone, and what stays aside is kept.
    let lost = whole
        .split_inclusive(|&byte| byte == b'\n')
        .position(|line| String::from_utf8_lossy(line).contains("\"herbs-set-aside-1/sage/1\""));
    let mut damaged = whole.clone();
    let start: usize = lines[..lost.unwrap()].iter().map(|line| line.len()).sum();
    damaged[start + 30] ^= 1;
    fs::write(&file, &damaged).unwrap();
    let mut journal = Journal::open(&shed.path(ASIDE), Reading::Salvage).unwrap();
    assert_eq!(journal.damaged, [lost.unwrap() + 1]);
    assert!(undone(&mut journal).is_whole(), "as far as the journal knows");
    let left = journal.files_aside().unwrap();
    assert_eq!(left, [place("herbs-set-aside-1/sage/1").path().clone()]);
    assert!(file.exists());
    let mut after = shed.tree();
    let missing = after.insert(shed.path("herbs/sage/1"), "the picture sage/1".to_owned());
    assert_eq!((missing, after), (None, before));
}

#[test]
fn a_journal_from_elsewhere_reaches_nothing_outside() {
    let shed = Shed::new();
    fs::create_dir(shed.path("other")).unwrap();
    fs::write(shed.path("other/file"), "another one's").unwrap();
    let whole = |steps: &str| {
        drop(shed.journal(&[]));
        let text = fs::read_to_string(shed.journal_file()).unwrap();
        let head = text.lines().next().unwrap().to_owned();
        let ready = sealed("{\"state\":\"done\"}");
        let text = format!("{head}\n{}{ready}", sealed(steps));
        fs::write(shed.journal_file(), text).unwrap();
    };
    let move_step = |from: &str, to: &str| {
        format!(
            "{{\"step\":{{\"move\":{{\"from\":{from:?},\"to\":{to:?},\"number\":0,\"digest\":null}}}}}}"
        )
    };
    let outside = shed.path("other/file");
    let outside = outside.to_str().unwrap();
    let hostile = [
        move_step("herbs/new", outside),
        move_step("herbs/new", "other/file"),
        move_step("herbs/new", "herbs/../other/file"),
        move_step("herbs/new", "herbs-set-aside-1/../other/file"),
        move_step("herbs/new", r"herbs/\x2e\x2e/other/file"),
        move_step("herbs/new", "herbs"),
        move_step("herbs/new", "herbs-set-aside-1/journal.jsonl"),
        move_step("../new", "herbs/sage/1"),
        "{\"step\":{\"make_folder\":\"other\"}}".to_owned(),
        "{\"step\":{\"make_folder\":\"/tmp\"}}".to_owned(),
        "{\"made\":[\"other/file\",1]}".to_owned(),
        "{\"made\":[\"herbs/sage/1\",1]}".to_owned(),
    ];
    for step in &hostile {
        whole(step);
        let refused = Journal::read(&shed.path(ASIDE), Reading::Salvage).unwrap_err();
        assert!(refused.message.contains("line 2"), "{step}: {}", refused.message);
        fs::remove_file(shed.journal_file()).unwrap();
    }
    // A place that is inside by its name, and leads out by a link that came with the collection.
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(shed.path("other"), shed.path("herbs/way")).unwrap();
        whole(&move_step("herbs/new", "herbs/way/file"));
        let mut journal = shed.open();
        let restored = undone(&mut journal);
        assert!(!restored.is_whole());
        assert!(!shed.path("herbs/new").exists());
    }
    assert_eq!(fs::read_to_string(shed.path("other/file")).unwrap(), "another one's");
    assert_eq!(fs::read_dir(shed.path("other")).unwrap().count(), 1);
}

#[test]
fn what_others_did_since_is_listed_and_all_else_is_undone() {
    let shed = Shed::new();
    let mut journal = shed.journal(&steps(&shed));
    carry_out(&mut journal, &NoProgress).unwrap();
    fs::remove_file(shed.path("herbs/dill/2")).unwrap();
    fs::write(shed.path("herbs/bay/1"), "edited").unwrap();
    fs::write(shed.path("herbs/sage/2"), "a new one").unwrap();
    fs::create_dir(shed.path("herbs/Bay ")).unwrap();
    fs::write(shed.path("herbs/Bay /1"), "in the way").unwrap();
    let restored = undone(&mut journal);
    let lines = restored.lines(9);
    assert_eq!(
        lines,
        [
            "not moved back: herbs/Bay /1 is still at herbs-set-aside-1/waiting/3: cannot move \
             herbs-set-aside-1/waiting/3: herbs/Bay /1 already exists",
            "changed since: herbs/sage/2",
            "changed since: herbs/bay/2",
            "the folder herbs/Bay  was created again; the one in its place is now herbs-set-aside-1/emptied/0",
        ]
    );
    assert_eq!(journal.state, Some(State::Undoing));
    let files = shed.files();
    assert!(files.contains(&"sage/1: the picture sage/1".to_owned()), "{files:?}");
    assert!(files.contains(&"bay/1: the picture bay/1".to_owned()), "{files:?}");
    assert!(files.contains(&"bay/2: edited".to_owned()), "{files:?}");
    // Once what was in the way is gone, the rest follows.
    fs::remove_file(shed.path("herbs/Bay /1")).unwrap();
    let restored = undone(&mut journal);
    assert!(restored.stuck.is_empty());
    assert_eq!(journal.state, Some(State::Undone));
    assert!(shed.files().contains(&"Bay /1: the picture Bay /1".to_owned()));
}

#[test]
fn two_never_work_on_one_collection_and_journals_are_numbered() {
    let shed = Shed::new();
    drop(shed.journal(&steps(&shed)));
    let base = Root::open(shed.0.path()).unwrap();
    let root = place("herbs").path().clone();
    let held = journal::locked(&base, &root).unwrap();
    assert!(held.is_some());
    let refused = Journal::open(&shed.path(ASIDE), Reading::Strict).unwrap_err();
    assert!(refused.message.contains("another `apply` or `undo`"), "{}", refused.message);
    drop(held);
    shed.open();
    for name in ["12", "x", "007", "4294967296", "-1", "+1"] {
        fs::create_dir(shed.path(&format!("herbs-set-aside-{name}"))).unwrap();
    }
    fs::write(shed.path("herbs-set-aside-13"), "a file").unwrap();
    let (known, free) = journal::find(&base, &root).unwrap();
    let numbers: Vec<u32> = known.iter().map(|(number, _)| *number).collect();
    assert_eq!((numbers, free.as_path().to_str()), (vec![1, 12], Some("herbs-set-aside-14")));
}

#[test]
fn only_the_very_journal_that_never_became_ready_is_removed() {
    let shed = Shed::new();
    let made = || {
        let base = Root::open(shed.0.path()).unwrap();
        let [folder, root] = [ASIDE, "herbs"].map(|name| place(name).path().clone());
        let mut draft =
            Draft::begin(base, folder, root, "a plan".to_owned(), Vec::new(), None).unwrap();
        fs::create_dir(shed.path(ASIDE).join("made")).unwrap();
        let note = |draft: &mut Draft,
                    name: &str,
                    number: &dyn Fn(&sieve_core::files::FileFacts) -> u64| {
            let facts = draft.base().facts(place(name).path()).unwrap();
            draft.note_made(place(name), number(&facts)).unwrap();
        };
        note(&mut draft, "herbs-set-aside-1/made", &|facts| facts.inode);
        fs::write(shed.path(ASIDE).join("made/0.png"), "made").unwrap();
        note(&mut draft, "herbs-set-aside-1/made/0.png", &journal::number);
        drop(draft);
    };
    let discarded = || {
        let journal = Journal::read(&shed.path(ASIDE), Reading::Strict).unwrap();
        assert_eq!(journal.state, None);
        journal::discard(&journal).unwrap()
    };
    made();
    assert!(discarded() && !shed.path(ASIDE).exists());
    // What somebody else has put there stays, and so does what was changed.
    fs::create_dir(shed.path(ASIDE)).unwrap();
    made();
    fs::write(shed.path(ASIDE).join("made/mine"), "mine").unwrap();
    fs::create_dir(shed.path(ASIDE).join("empty")).unwrap();
    assert!(!discarded());
    assert!(shed.path(ASIDE).join("made/mine").exists() && shed.path(ASIDE).join("empty").exists());
    assert!(shed.journal_file().exists());
    // A copy of such a folder is nobody's.
    fs::remove_dir_all(shed.path(ASIDE)).unwrap();
    fs::create_dir(shed.path(ASIDE)).unwrap();
    made();
    let text = fs::read(shed.journal_file()).unwrap();
    fs::rename(shed.path(ASIDE), shed.path("old")).unwrap();
    fs::create_dir_all(shed.path(ASIDE).join("made")).unwrap();
    fs::write(shed.path(ASIDE).join("made/0.png"), "another").unwrap();
    fs::write(shed.journal_file(), text).unwrap();
    assert!(!discarded());
    assert!(shed.path(ASIDE).join("made/0.png").exists());
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
    assert!(undone(&mut shed.open()).is_whole());
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
        undone(&mut shed.open());
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
            let place = Place::new(InsidePath::new(path).unwrap());
            let text = serde_json::to_string(&place).unwrap();
            let back: Place = serde_json::from_str(&text).unwrap();
            assert_eq!(back.path().as_path().as_os_str().as_bytes(), bytes, "{text}");
        }
    }
}
