//! `demo`, run whole, and what `audit` finds in the collection that it paints.

mod support;

use std::collections::BTreeSet;
use std::fs;

use serde_json::Value;
use support::{Workspace, strings};

/// The code under which a planted fault is found; none for those that nothing looks for yet.
fn code_of<'a>(fault: &'a str, path: &str) -> Option<&'a str> {
    match fault {
        "unlike-class" | "class-imbalance" => None,
        "shortcut" => Some("background-shortcut"),
        "same-pixels" | "resized" | "resaved" | "cropped" | "mirrored" | "turned" => {
            Some("same-image")
        }
        // The lamp of a dark image leaves no contrast either.
        "dark" if path == "thyme/thyme-061.jpg" => Some("washed-out"),
        "dark" => Some("too-dark"),
        // Not beyond the limits: a thin steam, and noise in the blur.
        "washed-out" if path == "nettle/nettle-128.jpg" => None,
        "blurred" if path == "bay/bay-056.jpg" => None,
        "blurred" => Some("soft-focus"),
        other => Some(other),
    }
}

/// The rows of planted.csv: path, fault, partner, note.
fn planted(workspace: &Workspace) -> Vec<[String; 4]> {
    let table = fs::read(workspace.path("herb-shed-demo/planted.csv")).unwrap();
    let mut reader = csv::Reader::from_reader(&table[..]);
    let rows = reader.records().map(|row| {
        let row = row.unwrap();
        [0, 1, 2, 3].map(|column| row[column].to_owned())
    });
    rows.collect()
}

/// The files or classes that a finding is about, with its code.
fn prepared(finding: &Value) -> Vec<(String, String)> {
    let code = finding["code"].as_str().unwrap().to_owned();
    let mut names: Vec<&str> = strings(&finding["images"]);
    if names.is_empty() {
        let class = finding["class"].as_str();
        names = class.map_or_else(|| strings(&finding["evidence"]["classes"]), |class| vec![class]);
    }
    names.into_iter().map(|name| (code.clone(), name.to_owned())).collect()
}

#[test]
fn the_whole_job_runs_and_every_planted_fault_is_found() {
    let workspace = Workspace::new();
    let said = workspace.message(&["demo"]);
    let mut settings = insta::Settings::clone_current();
    settings.add_filter(r"\d+\.\d+ [kM]B", "[SIZE]");
    // The plan names its collection by where it is.
    settings.add_filter(r"\S*/\.tmp\w+", "[WORK]");
    settings.bind(|| insta::assert_snapshot!(said));

    let answer = workspace.json(&["audit", "herb-shed-demo/collection"]);
    let findings = answer["findings"].as_array().unwrap();
    let found: BTreeSet<(String, String)> = findings
        .iter()
        .filter(|finding| finding["code"] != "class-imbalance")
        .flat_map(prepared)
        .collect();
    let also = [
        ("class-tied-to-metadata", "nettle"),
        // Its leaves are painted darker and greener: content, as a person sees who looks.
        ("class-tied-to-metadata", "sage"),
        ("exif-orientation", "nettle/nettle-044-turned.jpg"),
        ("washed-out", "nettle/nettle-127.jpg"),
    ];
    let expected: BTreeSet<(String, String)> = planted(&workspace)
        .iter()
        .filter_map(|[path, fault, partner, _]| Some((code_of(fault, path)?, path, partner)))
        .flat_map(|(code, path, partner)| [(code, path.as_str()), (code, partner.as_str())])
        .chain(also)
        .filter(|(_, name)| !name.is_empty())
        .map(|(code, name)| (code.to_owned(), name.to_owned()))
        .collect();
    assert_eq!(found, expected, "all that is planted, and nothing else");

    let imbalance: Vec<&Value> =
        findings.iter().filter(|finding| finding["code"] == "class-imbalance").collect();
    assert_eq!(imbalance.len(), 1);
    assert_eq!(imbalance[0]["evidence"]["largest_class"], "nettle");
    assert_eq!(imbalance[0]["evidence"]["largest_images"], 130);
    assert_eq!(imbalance[0]["evidence"]["smallest_class"], "Bay ");

    for name in ["preview-gentle.png", "preview-harsh.png", "splits/split.csv"] {
        assert!(workspace.path(&format!("herb-shed-demo/{name}")).is_file(), "{name}");
    }
    // What the search can see, the split that it built does not leak.
    let leakage = workspace.json(&["leakage", "herb-shed-demo/splits"]);
    assert_eq!(leakage["pairs"], serde_json::json!([]));
    // A second demo would write over the first.
    let before = workspace.files("herb-shed-demo");
    let again = workspace.run(&["demo"]);
    assert_eq!((again.status, again.stdout.as_str()), (3, ""));
    insta::assert_snapshot!(again.stderr, @"
    error: herb-shed-demo exists and is not empty
           Nothing was written. Choose another folder, or move this one away.
    ");
    assert_eq!(workspace.files("herb-shed-demo"), before);
}

#[test]
fn a_pre_split_demo_leaks_as_planted() {
    let workspace = Workspace::new();
    let said = workspace.message(&["demo", "herb-shed-demo", "--pre-split"]);
    assert!(said.contains("$ mint-sieve audit herb-shed-demo/collection\n"), "{said}");
    assert!(!said.contains("$ mint-sieve split"), "it is split already");
    let answer = workspace.json(&["audit", "herb-shed-demo/collection"]);
    let findings = answer["findings"].as_array().unwrap();
    let is_leak =
        |finding: &&Value| finding["code"] == "split-leak" || finding["code"] == "burst-leak";
    let leaked: BTreeSet<&str> =
        findings.iter().filter(is_leak).flat_map(|finding| strings(&finding["images"])).collect();
    let planted = planted(&workspace);
    let mut expected: BTreeSet<&str> =
        planted.iter().flat_map(|[path, _, partner, _]| [path.as_str(), partner]).collect();
    // The burst has two more frames on the side of its partner.
    expected.extend(["train/nettle/nettle-602.jpg", "train/nettle/nettle-603.jpg"]);
    assert_eq!(leaked, expected);
    assert_eq!(answer["collection"]["splits"], 3);
    let codes: BTreeSet<&str> =
        findings.iter().map(|finding| finding["code"].as_str().unwrap()).collect();
    let expected = [
        "background-shortcut",
        "burst-leak",
        "class-imbalance",
        "class-tied-to-metadata",
        "split-leak",
        "split-too-small",
        "thin-class",
    ];
    assert_eq!(codes, BTreeSet::from(expected));
}
