//! `demo`, run whole, and what `audit` finds in the collection that it paints.

mod support;

use std::collections::BTreeSet;
use std::fs;

use serde_json::Value;
use support::{Workspace, strings};

/// Faults that this version can find. For the others see planted.csv.
const IN_REACH: [&str; 12] = [
    "same-bytes",
    "label-conflict",
    "split-leak",
    "cut-short",
    "empty-file",
    "not-an-image",
    "wrong-extension",
    "stray-file",
    "outside-class",
    "empty-class",
    "class-names-alike",
    "thin-class",
];

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
fn subjects(finding: &Value) -> Vec<(String, String)> {
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
    let said = workspace.says(&["demo"]);
    let mut settings = insta::Settings::clone_current();
    settings.add_filter(r"\d+\.\d+ MB", "[SIZE]");
    settings.bind(|| insta::assert_snapshot!(said));

    let answer = workspace.json(&["audit", "herb-shed-demo/collection"]);
    let findings = answer["findings"].as_array().unwrap();
    let found: BTreeSet<(String, String)> = findings
        .iter()
        .filter(|finding| finding["code"] != "class-imbalance")
        .flat_map(subjects)
        .collect();
    let expected: BTreeSet<(String, String)> = planted(&workspace)
        .into_iter()
        .filter(|[_, fault, ..]| IN_REACH.contains(&fault.as_str()))
        .flat_map(|[path, fault, partner, _]| [(fault.clone(), path), (fault, partner)])
        .filter(|(_, name)| !name.is_empty())
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
    let said = workspace.says(&["demo", "herb-shed-demo", "--pre-split"]);
    assert!(said.contains("$ mint-sieve audit herb-shed-demo/collection\n"), "{said}");
    assert!(!said.contains("$ mint-sieve split"), "it is split already");
    let answer = workspace.json(&["audit", "herb-shed-demo/collection"]);
    let leaks: Vec<Vec<(String, String)>> = answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|finding| finding["severity"] == "error")
        .map(subjects)
        .collect();
    // Those of the same bytes; the others are for finding near copies.
    let same_bytes: Vec<Vec<(String, String)>> = planted(&workspace)
        .into_iter()
        .filter(|[.., note]| note == "same bytes")
        .map(|[path, fault, partner, _]| {
            let mut pair = vec![(fault.clone(), path), (fault, partner)];
            pair.sort();
            pair
        })
        .collect();
    assert_eq!(leaks.len(), 4);
    assert_eq!(leaks.iter().collect::<BTreeSet<_>>(), same_bytes.iter().collect());
    assert_eq!(answer["collection"]["splits"], 3);
    let codes: BTreeSet<&str> = answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["code"].as_str().unwrap())
        .collect();
    assert_eq!(codes, BTreeSet::from(["split-leak", "thin-class", "class-imbalance"]));
}
