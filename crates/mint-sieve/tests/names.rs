//! Names that would steer a terminal, forge a line, run in a spreadsheet or get lost on the way.
#![cfg(unix)]

mod support;

use std::collections::BTreeSet;
use std::ffi::{OsStr, OsString};
use std::fs;
use std::os::unix::ffi::{OsStrExt, OsStringExt};

use support::{Workspace, png};

/// Names of files, each with something that has been lost or let through somewhere.
const NAMES: [&[u8]; 13] = [
    b"a\x1b[31mred.png",
    b"new\nline.png",
    b"carriage\rreturn.png",
    b" lead.png",
    b"trail.png ",
    b"q\"uote, 'single'.png",
    b"a\\xff.png",
    b"a\xff.png",
    b"'=quoted.png",
    "\u{202e}gnp.png".as_bytes(),
    "\u{2028}line.png".as_bytes(),
    "zero\u{200b}width\u{feff}.png".as_bytes(),
    "薄荷 Ö.png".as_bytes(),
];
/// Names of classes.
const CLASSES: [&[u8]; 4] = [b"=cmd", b"ba\ny", b" sage ", b"th\x1byme\xe2\x80\xae"];

/// A collection of all names in all classes; images of one name are the same, so that there is something to tell.
fn hostile() -> Workspace {
    let workspace = Workspace::new();
    for class in CLASSES {
        for (tone, name) in (0u32..).zip(NAMES) {
            let folder = workspace.path("herbs").join(OsStr::from_bytes(class));
            fs::create_dir_all(&folder).unwrap();
            fs::write(folder.join(OsStr::from_bytes(name)), png(tone)).unwrap();
        }
    }
    workspace
}

/// The paths below `herbs`, as bytes.
fn on_disk() -> BTreeSet<Vec<u8>> {
    let all = CLASSES.iter().flat_map(|class| NAMES.map(|name| [class, &b"/"[..], name].concat()));
    all.collect()
}

fn is_hidden(c: char) -> bool {
    (c.is_control() && c != '\n')
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{feff}')
}

#[test]
fn what_people_read_shows_everything_and_forges_no_line() {
    let workspace = hostile();
    let split = [
        "split",
        "herbs",
        "--conflicts",
        "keep",
        "--parts",
        "a=50,b=50",
        "--to",
        "sp\u{1b}lits\u{202e}",
    ];
    let calls: [&[&str]; 8] = [
        &["audit", "herbs", "--all"],
        &["audit", "herbs", "--format", "markdown"],
        &["duplicates", "herbs", "--all"],
        &["balance", "herbs", "--all"],
        &split,
        &["leakage", "a=sp\u{1b}lits\u{202e}/a", "b=sp\u{1b}lits\u{202e}/b", "--all"],
        &["nearest", "herbs/=cmd/\u{202e}gnp.png", "--in", "herbs"],
        &["preview", "herbs", "--policy", "gentle", "--out", "she\u{1b}et.png"],
    ];
    for call in calls {
        let said = workspace.message(call);
        assert!(!said.chars().any(is_hidden), "{call:?}: {said:?}");
        // What comes after the line break of a name never begins a line.
        let forged = ["y/", "line.png", "y\" ", "y:"];
        let is_forged = |line: &str| forged.iter().any(|start| line.starts_with(start));
        assert!(!said.lines().any(is_forged), "{call:?}: {said}");
    }
    let failed = workspace.run(&["audit", "no\u{1b}where\nerror: all is lost"]);
    assert!(!failed.stderr.chars().any(is_hidden) && failed.stderr.lines().count() == 1);
    let said = workspace.message(&["split", "herbs", "--conflicts", "keep"]);
    assert!(said.contains("th\\u{1b}yme\\u{202e}") && said.contains("ba\\u{a}y"), "{said}");
}

#[test]
fn commands_to_paste_work_whatever_the_names() {
    let workspace = Workspace::new();
    let root = OsString::from_vec(b"ro\x1bot's\n\xe2\x80\xae\xff".to_vec());
    for tone in 0..6 {
        workspace.write(&format!("herbs/sage/{tone}.png"), &png(tone));
        workspace.write(&format!("herbs/bay/{tone}.png"), &png(50 + tone));
    }
    fs::rename(workspace.path("herbs"), workspace.path("").join(&root)).unwrap();
    let said = workspace.command(&[OsStr::new("audit"), &root]).output().unwrap().stdout;
    let said = String::from_utf8(said).unwrap();
    let pasted = said.lines().last().unwrap().trim();
    assert!(pasted.starts_with("mint-sieve split $'ro\\x1bot\\'s\\n"), "{pasted}");
    let program = env!("CARGO_BIN_EXE_mint-sieve");
    let pasted = pasted.replacen("mint-sieve", &format!("'{program}'"), 1);
    let mut shell = std::process::Command::new("bash");
    let ran = shell.args(["-c", &pasted]).current_dir(workspace.path("")).output();
    let Ok(ran) = ran else { return eprintln!("skipped: there is no bash") };
    assert!(ran.status.success(), "{}", String::from_utf8_lossy(&ran.stderr));
    let splits = [root.as_bytes(), b"-splits"].concat();
    assert!(workspace.path("").join(OsStr::from_bytes(&splits)).join("split.csv").is_file());
}

#[test]
fn the_split_table_comes_back_as_it_went() {
    let workspace = hostile();
    let parts = ["--parts", "train=60,test=40"];
    let table = workspace.message(
        &[&["split", "herbs", "--conflicts", "keep", "--format", "csv"][..], &parts].concat(),
    );
    workspace.message(
        &[&["split", "herbs", "--conflicts", "keep", "--out", "split.csv"][..], &parts].concat(),
    );
    let written = fs::read(workspace.path("split.csv")).unwrap();
    assert_eq!(table.as_bytes(), written, "what is printed is what is written");

    // Another reader finds the names as they are, but for `a\xff`, which is how the bytes that are no text are
    // written, so that it gets an escape of its own; and for those that a spreadsheet would run.
    let mut reader = csv::Reader::from_reader(&written[..]);
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    assert_eq!(rows.len(), on_disk().len());
    let exact = rows.iter().filter(|row| on_disk().contains(row[0].as_bytes())).count();
    assert_eq!(exact, (NAMES.len() - 1) * (CLASSES.len() - 1));
    for cell in rows.iter().flat_map(|row| row.iter()) {
        assert!(!cell.starts_with(['=', '+', '-', '@', '\t', '\r']), "{cell:?} runs");
    }
    assert!(
        rows.iter().any(|row| &row[1] == "'=cmd") && rows.iter().any(|row| &row[1] == " sage ")
    );

    // Ours finds every file again: beside the collection, and as a collection of its own.
    let of_part = |call: &[&str]| {
        let answer = workspace.json(call);
        assert_eq!(answer["collection"]["remarks"], serde_json::json!([]), "{answer}");
        assert_eq!(answer["collection"]["set_aside"], 0);
        answer["counts"].clone()
    };
    let beside = of_part(&["audit", "herbs", "--splits-from", "split.csv"]);
    assert_eq!(beside, of_part(&["audit", "split.csv", "--images", "herbs"]));
    let images: u64 =
        beside.as_array().unwrap().iter().map(|c| c["images"].as_u64().unwrap()).sum();
    assert_eq!(images as usize, on_disk().len());
}

#[test]
fn json_names_every_file_and_steers_nothing() {
    let workspace = hostile();
    let said = workspace.message(&["duplicates", "herbs", "--format", "json"]);
    assert!(!said.chars().any(is_hidden), "{said}");
    let answer: serde_json::Value = serde_json::from_str(&said).unwrap();
    let groups = answer["groups"].as_array().unwrap();
    let images = groups.iter().flat_map(|group| group["images"].as_array().unwrap());
    let paths: BTreeSet<&str> = images.map(|image| image["path"].as_str().unwrap()).collect();
    let readable: BTreeSet<String> =
        on_disk().into_iter().filter_map(|path| String::from_utf8(path).ok()).collect();
    assert!(readable.iter().all(|path| paths.contains(path.as_str())));
    assert!(paths.contains("=cmd/a\\xff.png"));
}
