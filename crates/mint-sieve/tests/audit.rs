//! `audit`, run on files.

mod support;

use support::{Workspace, jpeg, strings};

#[test]
fn a_healthy_collection() {
    insta::assert_snapshot!(Workspace::healthy().message(&["audit", "herbs"]));
}

#[test]
fn every_fault_of_a_file() {
    insta::assert_snapshot!(Workspace::faulty().message(&["audit", "herbs"]));
}

#[test]
fn a_split_collection() {
    let workspace = Workspace::new();
    workspace.class("herbs/train/sage", 30, 0);
    workspace.class("herbs/valid/sage", 6, 50);
    workspace.class("herbs/test/sage", 6, 60);
    workspace.class("herbs/train/bay", 25, 100);
    workspace.class("herbs/test/bay", 5, 150);
    workspace.write("herbs/test/sage/leaked.jpg", &jpeg(4));
    workspace.class("herbs/later", 3, 300);
    insta::assert_snapshot!(workspace.message(&["audit", "herbs/"]));
}

#[test]
fn json_holds_what_the_contract_says() {
    let workspace = Workspace::faulty();
    let answer = workspace.json(&["audit", "herbs"]);
    assert_eq!(answer["schema"], "mint-sieve/audit/1");
    assert_eq!(answer["version"], env!("CARGO_PKG_VERSION"));
    assert_eq!(answer["settings"]["limits"]["thin-class"], 20.0);
    let collection = &answer["collection"];
    assert_eq!(collection["root"], "herbs");
    let number = |field: &str| collection[field].as_u64().unwrap();
    assert_eq!(number("files"), workspace.files("herbs").len() as u64);
    assert_eq!(number("files"), number("images") + number("set_aside"));
    assert_eq!((number("classes"), number("splits")), (4, 0));
    let bytes: usize = workspace.files("herbs").values().map(Vec::len).sum();
    assert_eq!(number("bytes"), bytes as u64);

    let counts = answer["counts"].as_array().unwrap();
    let sum: u64 = counts.iter().map(|count| count["images"].as_u64().unwrap()).sum();
    assert_eq!(sum, number("images"));
    assert!(counts.iter().all(|count| count["split"].is_null()));
    let thyme = counts.iter().find(|count| count["class"] == "thyme").unwrap();
    assert_eq!(thyme["images"], 0);

    let findings = answer["findings"].as_array().unwrap();
    for severity in ["error", "warning", "note"] {
        let count = findings.iter().filter(|finding| finding["severity"] == severity).count();
        assert_eq!(answer["summary"][severity], count);
    }
    for finding in findings {
        for field in ["code", "severity", "remedy", "message"] {
            assert!(!finding[field].as_str().unwrap().is_empty(), "{finding}");
        }
        assert!(finding["evidence"].is_object() && finding.get("class").is_some());
    }
    let of = |code: &str| findings.iter().find(|finding| finding["code"] == code).unwrap();
    assert_eq!(
        strings(&of("label-conflict")["images"]),
        ["herbs/bay/sage?.jpg", "herbs/sage/003.jpg"].map(|path| path.trim_start_matches("herbs/"))
    );
    assert_eq!(of("trailing-bytes")["evidence"]["trailing_bytes"], 6);
    assert_eq!(of("truncated")["class"], "sage");
    assert_eq!(of("wrong-extension")["evidence"]["format"], "PNG");
}

#[test]
fn one_thread_and_many_give_the_same_bytes() {
    let workspace = Workspace::faulty();
    for format in ["text", "json"] {
        let run = |threads| {
            workspace.message(&["audit", "herbs", "--format", format, "--threads", threads])
        };
        let one = run("1");
        assert_eq!(one, run("8"));
        assert_eq!(one, run("3"));
    }
}

#[test]
fn fail_on_names_the_level_that_fails() {
    let workspace = Workspace::faulty();
    let status =
        |root: &str, level: &str| workspace.run(&["audit", root, "--fail-on", level]).status;
    assert_eq!(status("herbs", "error"), 1);
    assert_eq!(status("herbs", "note"), 1);
    workspace.class("clean/sage", 20, 0);
    assert_eq!(status("clean", "note"), 0, "{}", workspace.run(&["audit", "clean"]).stdout);
    workspace.write("clean/sage/notes.txt", b"x");
    assert_eq!(status("clean", "note"), 1);
    assert_eq!(status("clean", "warning"), 0);
    // What fails is said all the same.
    let failed = workspace.run(&["audit", "clean", "--fail-on", "note"]);
    assert!(failed.stdout.contains("stray-file") && failed.stderr.is_empty());
}

#[test]
fn limits_can_be_set() {
    let workspace = Workspace::healthy();
    let limits = ["--limit", "thin-class=30", "--limit", "imbalance=1.1"];
    let text = workspace.message(&[&["audit", "herbs"][..], &limits].concat());
    assert!(text.contains("\"bay\" has 20 images; the minimum is 30"), "{text}");
    assert!(text.contains("\"sage\" has 1.2x the images of \"bay\" (24 and 20)"), "{text}");
    let text = workspace.message(&["audit", "herbs", "--max-megapixels", "0"]);
    assert!(text.contains("64 x 48 is 3072 pixels; the limit is 0 (max-megapixels)"), "{text}");
}

#[test]
fn many_classes_are_shortened_and_all_are_shown_on_request() {
    let workspace = Workspace::new();
    for class in 0..50 {
        workspace.class(&format!("herbs/herb-{class:02}"), 1 + class % 2, class * 10);
    }
    let short = workspace.message(&["audit", "herbs"]);
    assert!(short.contains("... 36 more (--all)"), "{short}");
    assert!(short.contains("... 23 more (--all)"), "{short}");
    let all = workspace.message(&["audit", "herbs", "--all"]);
    assert!(!all.contains("more (--all)"));
    for class in 0..50 {
        assert!(all.contains(&format!("\n  herb-{class:02}")), "{class}");
    }
}

#[test]
fn nested_pictures_and_hostile_names_are_shown_safely() {
    let workspace = Workspace::new();
    workspace.class("herbs/薄荷/rack 1", 20, 0);
    workspace.class("herbs/шалфей", 20, 50);
    workspace.write("herbs/шалфей/red\u{1b}[31m.jpg", b"text");
    let text = workspace.message(&["audit", "herbs"]);
    assert!(
        text.contains("20 images are nested below their class folder, counted in that class"),
        "{text}"
    );
    assert!(text.contains("шалфей/red\\u{1b}[31m.jpg: the content is text"), "{text}");
    assert!(!text.contains('\u{1b}'));
    let rows: Vec<&str> = text.lines().filter(|line| line.contains("50.0%")).collect();
    assert_eq!(rows.len(), 2, "{text}");
}

#[cfg(unix)]
#[test]
fn undecodable_names_carry_their_bytes() {
    use std::os::unix::ffi::OsStrExt;
    let workspace = Workspace::healthy();
    let name = std::ffi::OsStr::from_bytes(b"herbs/sage/x\xff.jpg");
    if std::fs::write(workspace.path("").join(name), jpeg(700)).is_err() {
        return eprintln!("skipped: this file system takes UTF-8 names only");
    }
    let answer = workspace.json(&["audit", "herbs"]);
    assert_eq!(answer["undecodable_names"][0]["path"], "sage/x\\xff.jpg");
    assert_eq!(answer["undecodable_names"][0]["bytes"], "736167652f78ff2e6a7067");
}

#[test]
fn nothing_in_the_collection_is_touched() {
    let workspace = Workspace::faulty();
    let before = workspace.files("herbs");
    workspace.message(&["audit", "herbs"]);
    assert_eq!(workspace.files("herbs"), before);
    assert_eq!(workspace.names(), ["herbs"]);
}

#[test]
fn an_empty_collection_is_answered() {
    let workspace = Workspace::new();
    workspace.write("herbs/readme.txt", b"soon");
    insta::assert_snapshot!(workspace.message(&["audit", "herbs"]));
}
