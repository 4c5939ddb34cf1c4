//! Whatever a folder holds and whatever is asked of it: commands answer, never break off, and change nothing.

mod support;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use serde_json::Value;
use support::{Workspace, jpeg, png};

/// Numbers that look random and are the same on every machine (splitmix64: Steele, Lea and Flood, 2014).
struct Chance(u64);

impl Chance {
    fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut bits = self.0;
        bits = (bits ^ (bits >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        bits = (bits ^ (bits >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((bits ^ (bits >> 31)) % most as u64) as usize
    }

    fn one<'a, T>(&mut self, of: &'a [T]) -> &'a T {
        &of[self.below(of.len())]
    }
}

const FOLDERS: [&str; 12] = [
    "sage",
    "bay",
    "Bay",
    "bay ",
    "train",
    "test",
    "val",
    "=1+1",
    "#rack",
    "薄荷",
    "-rf",
    "a\u{202e}b",
];
const FILES: [&str; 12] = [
    "001.jpg",
    "002.jpg",
    "001 copy.jpg",
    "IMG_0001.JPG",
    "=x.png",
    "#y.png",
    "-z.jpg",
    "noext",
    "a,b\"c.jpg",
    "new\nline.jpg",
    ".hidden.jpg",
    "split.csv",
];

/// What a file may hold.
fn content(chance: &mut Chance) -> Vec<u8> {
    let tone = chance.below(6) as u32;
    match chance.below(12) {
        0 => Vec::new(),
        1 => b"path,class,split\nsage/001.jpg,sage,train\n".to_vec(),
        2 => {
            let whole = jpeg(tone);
            whole[..chance.below(whole.len())].to_vec()
        }
        3 => {
            let mut whole = png(tone);
            let at = chance.below(whole.len());
            whole[at] ^= 1 << chance.below(8);
            whole
        }
        4 => {
            let mut whole = jpeg(tone);
            let at = chance.below(whole.len());
            whole[at] = chance.below(256) as u8;
            whole
        }
        5 => png(tone),
        6 => (0..chance.below(200)).map(|_| chance.below(256) as u8).collect(),
        _ => jpeg(tone),
    }
}

/// A folder of anything, at any depth.
fn anything(workspace: &Workspace, chance: &mut Chance) {
    fs::create_dir(workspace.path("herbs")).unwrap();
    for _ in 0..chance.below(40) {
        let mut name = "herbs".to_owned();
        for _ in 0..chance.below(4) {
            name = format!("{name}/{}", chance.one(&FOLDERS));
        }
        let file = workspace.path(&format!("{name}/{}", chance.one(&FILES)));
        // A folder of that name may be there, or a file where a folder should be.
        if fs::create_dir_all(file.parent().unwrap()).is_ok() && !file.exists() {
            fs::write(&file, content(chance)).unwrap();
        }
    }
    #[cfg(unix)]
    // A link out of the collection, which is followed where that is asked for; not one to everything.
    let outside = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/golden");
    for (to, from) in [("../herbs", "loop"), ("nowhere", "broken.jpg"), (outside, "outside")] {
        if chance.below(4) == 0 {
            let _ = std::os::unix::fs::symlink(to, workspace.path(&format!("herbs/{from}")));
        }
    }
}

/// Every file, folder and link below a folder, with what it holds.
fn state(folder: &Path, into: &mut BTreeMap<std::path::PathBuf, Vec<u8>>) {
    for entry in fs::read_dir(folder).unwrap().map(Result::unwrap) {
        let (path, kind) = (entry.path(), entry.file_type().unwrap());
        let held = match () {
            () if kind.is_symlink() => {
                fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes()
            }
            () if kind.is_dir() => {
                state(&path, into);
                b"a folder".to_vec()
            }
            () => fs::read(&path).unwrap(),
        };
        into.insert(path, held);
    }
}

/// Calls of commands that only read, with options that fit or do not.
const CALLS: [&[&str]; 26] = [
    &["audit", "herbs"],
    &["audit", "herbs", "--splits", "none", "--class-depth", "innermost"],
    &["audit", "herbs", "--class-depth", "2", "--reach", "exact"],
    &["audit", "herbs", "--splits", "train,val=validation", "--follow-links"],
    &["audit", "herbs", "--label-from", "{class}/{}"],
    &["duplicates", "herbs", "--reach", "wide"],
    &["duplicates", "herbs", "--within", "class"],
    &["duplicates", "herbs", "--against", "herbs"],
    &["nearest", "herbs/sage/001.jpg", "--in", "herbs"],
    &["outliers", "herbs", "--top", "5"],
    &["shortcuts", "herbs", "--all"],
    &["coverage", "herbs"],
    &["trial", "herbs", "--policies", "none", "--seeds", "2", "--training-images", "20"],
    &["balance", "herbs", "--batch", "8", "--limit", "thin-class=2"],
    &["leakage", "herbs"],
    &["leakage", "herbs", "--protect", "test"],
    &["propose", "herbs", "--cap", "2", "--bursts", "1"],
    &["propose", "herbs", "--rules", "orientation,extensions"],
    &["split", "herbs", "--parts", "train=50%,test=50%"],
    &["split", "herbs", "--parts", "train=rest,test=2", "--force", "--resplit"],
    &["split", "herbs", "--folds", "2", "--strata", "format,size"],
    &["preview", "herbs", "--policy", "gentle", "--sheet-only"],
    &["preview", "herbs", "--policy", "harsh", "--frame-only", "--split", "test"],
    &["sheet", "herbs", "--out", "sheet.png", "--order", "atypical"],
    &["sheet", "herbs", "--out", "sheet.html", "--all"],
    &["report", "herbs", "--out", "page.html"],
];

#[test]
fn every_command_answers_about_anything_and_changes_nothing() {
    let mut answered = 0;
    for seed in 0..14 {
        let mut chance = Chance(seed);
        let workspace = Workspace::new();
        anything(&workspace, &mut chance);
        let mut before = BTreeMap::new();
        state(&workspace.path("herbs"), &mut before);
        for _ in 0..9 {
            let call = *chance.one(&CALLS);
            for out in ["sheet.png", "sheet.html", "page.html"] {
                let _ = fs::remove_file(workspace.path(out));
            }
            let answer = workspace.run(&[call, &["--format", "json"]].concat());
            let shown = format!("seed {seed}: {call:?}\n{}\n{}", answer.stdout, answer.stderr);
            assert!([0, 2, 3].contains(&answer.status), "{shown}");
            assert!(!answer.stderr.contains("panicked"), "{shown}");
            if answer.status == 0 {
                let said: Value = serde_json::from_str(&answer.stdout).expect(&shown);
                let schema = format!("mint-sieve/{}/1", call[0]);
                assert_eq!(said["schema"], Value::String(schema), "{shown}");
                answered += 1;
            } else {
                assert!(
                    answer.stderr.starts_with("error: ") && answer.stdout.is_empty(),
                    "{shown}"
                );
            }
            // What people read holds nothing that steers a terminal.
            let text = workspace.run(call);
            let steers = |c: char| c.is_control() && c != '\n' || c == '\u{202e}';
            let said = text.stdout + &text.stderr;
            assert!(!said.contains(steers), "seed {seed}: {call:?}\n{said:?}");
        }
        let mut after = BTreeMap::new();
        state(&workspace.path("herbs"), &mut after);
        assert!(before == after, "seed {seed}");
        // Nothing is left behind beside it.
        for out in ["sheet.png", "sheet.html", "page.html"] {
            let _ = fs::remove_file(workspace.path(out));
        }
        assert_eq!(workspace.names(), ["herbs"], "seed {seed}");
    }
    // Most calls on most folders can be answered.
    assert!(answered > 40, "{answered}");
}

#[test]
fn files_of_every_count_are_told_whatever_they_are() {
    for seed in 100..120 {
        let mut chance = Chance(seed);
        let workspace = Workspace::new();
        anything(&workspace, &mut chance);
        let answer = workspace.run(&["audit", "herbs", "--format", "json"]);
        if answer.status != 0 {
            continue;
        }
        let said: Value = serde_json::from_str(&answer.stdout).unwrap();
        let (collection, number) = (&said["collection"], |value: &Value| value.as_u64().unwrap());
        let sum = number(&collection["images"]) + number(&collection["set_aside"]);
        assert_eq!(number(&collection["files"]), sum, "seed {seed}");
        let counted: u64 =
            said["counts"].as_array().unwrap().iter().map(|one| number(&one["images"])).sum();
        assert_eq!(number(&collection["images"]), counted, "seed {seed}");
        // Another run, and another number of threads, say the same.
        let other = workspace.run(&["audit", "herbs", "--format", "json", "--threads", "3"]);
        assert_eq!(other.stdout, answer.stdout, "seed {seed}");
        let anew = workspace.run(&["audit", "herbs", "--format", "json", "--no-catalog"]);
        assert_eq!(anew.stdout, answer.stdout, "seed {seed}");
    }
}
