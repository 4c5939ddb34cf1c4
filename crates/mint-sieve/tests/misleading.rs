//! `outliers`, `shortcuts` and `coverage`, run on files: what misleads a model is found, and no more is claimed.

mod support;

use std::collections::BTreeSet;
use std::fmt::Write;

use serde_json::Value;
use support::{Workspace, grounded, strings};

const GREY: [u8; 3] = [120, 120, 120];
const BLUE: [u8; 3] = [30, 60, 200];
const SAND: [u8; 3] = [200, 170, 110];

/// Images of a class whose leaves have one colour, each on one of these grounds.
fn class(workspace: &Workspace, name: &str, count: u32, leaf: [u8; 3], grounds: &[[u8; 3]]) {
    for number in 0..count {
        let ground = grounds[number as usize % grounds.len()];
        let tone = number + u32::from(leaf[0]) * 1000;
        workspace.write(&format!("{name}/{number:03}.jpg"), &grounded(tone, leaf, ground));
    }
}

const GREEN: [u8; 3] = [40, 150, 50];
const RED: [u8; 3] = [190, 50, 40];
const PALE: [u8; 3] = [220, 220, 190];

/// Grounds of one shed.
const SHADES: [[u8; 3]; 3] = [GREY, [140, 135, 125], [100, 105, 110]];

/// Three classes on grounds that say nothing.
fn clean() -> Workspace {
    let workspace = Workspace::new();
    for (name, leaf) in [("bay", GREEN), ("sage", RED), ("dill", PALE)] {
        class(&workspace, &format!("herbs/{name}"), 40, leaf, &SHADES);
    }
    workspace
}

fn codes(answer: &Value) -> BTreeSet<(&str, &str)> {
    let findings = answer["findings"].as_array().unwrap();
    findings
        .iter()
        .map(|one| (one["code"].as_str().unwrap(), one["class"].as_str().unwrap_or_default()))
        .collect()
}

#[test]
fn strays_and_swaps_come_first_and_become_rows_to_decide_on() {
    let workspace = clean();
    // A leaf of another class, and a plain card.
    workspace.write("herbs/bay/swap.jpg", &grounded(7, RED, GREY));
    workspace.write("herbs/dill/card.jpg", &grounded(8, SAND, SAND));
    let call = ["outliers", "herbs", "--top", "5", "--plan", "plan.csv", "--sheet", "o.png"];
    insta::assert_snapshot!(workspace.message(&call));
    let answer = workspace.json(&["outliers", "herbs", "--top", "12"]);
    let first = answer["outliers"].as_array().unwrap();
    assert_eq!(first[0]["path"], "dill/card.jpg");
    let swap = first.iter().find(|one| one["path"] == "bay/swap.jpg").unwrap();
    assert_eq!((&swap["resembles"], &swap["split"]), (&"sage".into(), &Value::Null));
    // The plan is one that `apply` knows, and refuses until it is decided.
    let refused = workspace.run(&["apply", "plan.csv", "--to", "out"]);
    assert_eq!(refused.status, 2, "{}", refused.stderr);
    assert!(refused.stderr.contains("5 rows of plan.csv cannot be applied"), "{}", refused.stderr);
    let table = workspace.message(&["outliers", "herbs", "--class", "dill", "--format", "csv"]);
    let head = "rank,path,class,split,score,resembles,reason";
    assert!(table.starts_with(head) && table.lines().skip(1).all(|row| row.contains(",dill,,")));
    let one = workspace.json(&["outliers", "herbs", "--per-class", "1"]);
    assert_eq!(one["outliers"].as_array().unwrap().len(), 3);
    let wrong = workspace.run(&["outliers", "herbs", "--class", "dil"]);
    assert!(wrong.status == 2 && wrong.stderr.contains("dill"), "{}", wrong.stderr);
}

#[test]
fn copies_count_once_and_what_cannot_be_ranked_is_said() {
    let workspace = clean();
    class(&workspace, "herbs/thyme", 5, PALE, &[GREY]);
    for number in 0..12 {
        let first = grounded(if number < 9 { 5 } else { number }, GREEN, GREY);
        workspace.write(&format!("herbs/mint/{number}.jpg"), &first);
    }
    workspace.write("herbs/loose.jpg", &grounded(3, RED, SAND));
    let answer = workspace.json(&["outliers", "herbs"]);
    let excluded: Vec<(&str, &str)> = answer["excluded"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["class"].as_str().unwrap(), one["reason"].as_str().unwrap()))
        .collect();
    assert_eq!(excluded, [("mint", "too-few"), ("thyme", "too-few")]);
    assert_eq!(answer["unlabelled"], 1);
}

#[test]
fn a_class_on_one_tray_is_found_and_one_on_several_is_not() {
    let workspace = clean();
    let clean = workspace.json(&["shortcuts", "herbs"]);
    assert!(codes(&clean).iter().all(|(code, _)| *code == "class-tied-to-metadata"), "{clean}");
    // 95% of a class on blue, which the others have not.
    let workspace = Workspace::new();
    let others = [GREY, SAND, [60, 60, 60]];
    for (name, leaf) in [("bay", GREEN), ("dill", PALE)] {
        class(&workspace, &format!("herbs/{name}"), 40, leaf, &others);
    }
    let mut grounds = vec![BLUE; 40];
    (grounds[3], grounds[21]) = (GREY, SAND);
    class(&workspace, "herbs/sage", 40, RED, &grounds);
    let text = workspace.message(&["shortcuts", "herbs", "--sheet", "s.png"]);
    insta::assert_snapshot!(text);
    assert!(
        codes(&workspace.json(&["shortcuts", "herbs"])).contains(&("background-shortcut", "sage"))
    );
    assert!(codes(&workspace.json(&["audit", "herbs"])).contains(&("background-shortcut", "sage")));
    let strict = ["shortcuts", "herbs", "--limit", "background=0.99", "--fail-on", "warning"];
    assert_eq!(workspace.run(&strict).status, 0);
    assert_eq!(workspace.run(&["shortcuts", "herbs", "--fail-on", "warning"]).status, 1);
    // Of 60% it is not claimed.
    for number in (0..40).filter(|number| number % 5 < 2) {
        let ground = others[number as usize % 3];
        let bytes = grounded(number + u32::from(RED[0]) * 1000, RED, ground);
        workspace.write(&format!("herbs/sage/{number:03}.jpg"), &bytes);
    }
    let answer = workspace.json(&["shortcuts", "herbs"]);
    assert!(!codes(&answer).contains(&("background-shortcut", "sage")), "{}", answer["findings"]);
}

#[test]
fn what_a_class_lacks_and_what_was_never_trained_on_is_listed() {
    let workspace = Workspace::new();
    let all = [GREY, SAND, BLUE, [60, 60, 60]];
    for (name, leaf) in [("bay", GREEN), ("sage", RED), ("dill", PALE)] {
        // Every class but dill was also photographed on blue.
        let grounds = if name == "dill" { &[GREY, SAND, [60, 60, 60]] } else { &all[..] };
        class(&workspace, &format!("herbs/train/{name}"), 48, leaf, grounds);
    }
    class(&workspace, "herbs/test/bay", 12, [41, 150, 50], &all);
    // In the test split, dill is dark on white.
    class(&workspace, "herbs/test/dill", 12, [21, 20, 20], &[[250; 3]]);
    let text = workspace.message(&["coverage", "herbs", "--sheet", "c.png"]);
    insta::assert_snapshot!(text);
    let answer = workspace.json(&["coverage", "herbs"]);
    let unseen = answer["unseen"].as_array().unwrap();
    assert_eq!(unseen.len(), 1, "{unseen:?}");
    assert_eq!((&unseen[0]["class"], &unseen[0]["split"]), (&"dill".into(), &"test".into()));
    assert!(unseen[0]["images"].as_array().unwrap().len() >= 10);
    // The same on any number of threads.
    for command in ["outliers", "shortcuts", "coverage"] {
        let run = |threads: &str| {
            workspace.run(&[command, "herbs", "--format", "json", "--threads", threads]).stdout
        };
        assert_eq!(run("1"), run("3"), "{command}");
    }
}

#[test]
fn vectors_are_believed_only_when_they_fit() {
    let workspace = clean();
    // Vectors that know each class, and one image that is of another.
    let mut csv = String::from("path,a,b,c\n");
    for (at, name) in ["bay", "dill", "sage"].iter().enumerate() {
        for number in 0..40 {
            let is_swap = *name == "sage" && number == 17;
            let class = if is_swap { 0 } else { at };
            let near = |axis: usize| if axis == class { 1.0 } else { f64::from(number % 7) * 0.02 };
            let _ = writeln!(csv, "{name}/{number:03}.jpg,{},{},{}", near(0), near(1), near(2));
        }
    }
    workspace.write("v.csv", csv.as_bytes());
    let call = ["outliers", "herbs", "--vectors", "v.csv", "--top", "3"];
    let answer = workspace.json(&call);
    let first = &answer["outliers"][0];
    assert_eq!((&first["path"], &first["resembles"]), (&"sage/017.jpg".into(), &"bay".into()));
    let known = workspace.json(&["shortcuts", "herbs", "--vectors", "v.csv"]);
    let of_dill = &known["classes"][1];
    assert!(of_dill["vectors"]["share"].as_f64().unwrap() > 0.9, "{of_dill}");
    workspace.json(&["coverage", "herbs", "--vectors", "v.csv", "--distance", "euclidean"]);
    // What does not fit is named, and nothing is answered.
    let wrong = csv.replace("bay/003.jpg,1", "bay/003.jpg,NaN").replace("bay/004.jpg", "../x.jpg");
    let wrong =
        wrong.replace("dill/005.jpg", "dill/006.jpg").replace("sage/001.jpg,", "sage/001.jpg,1,");
    workspace.write("wrong.csv", wrong.as_bytes());
    let refused = workspace.run(&["outliers", "herbs", "--vectors", "wrong.csv"]);
    assert_eq!(refused.status, 3);
    insta::assert_snapshot!(refused.stderr);
    let kept = workspace.json(&["outliers", "herbs", "--vectors", "wrong.csv", "--skip-missing"]);
    assert_eq!(kept["images"], 115);
    let paths: BTreeSet<&str> = strings(&kept["classes"][0]["typical"]).into_iter().collect();
    assert!(!paths.contains("bay/003.jpg"));
    let none = workspace.run(&["outliers", "herbs", "--vectors", "none.csv"]);
    assert!(none.status == 3 && none.stderr.contains("none.csv"), "{}", none.stderr);
}

#[test]
fn kinds_of_one_split_and_classes_that_look_alike_are_named() {
    let workspace = Workspace::new();
    // Five classes; marjoram and oregano have the same leaf. In train alone, bay was also photographed on blue.
    let leaves = [
        ("bay", GREEN),
        ("dill", PALE),
        ("marjoram", [90, 110, 40]),
        ("oregano", [92, 108, 41]),
        ("sage", RED),
    ];
    for (name, leaf) in leaves {
        class(&workspace, &format!("herbs/train/{name}"), 10, leaf, &SHADES);
        let held_out = [leaf[0] + 1, leaf[1], leaf[2] + 1];
        class(&workspace, &format!("herbs/test/{name}"), 40, held_out, &SHADES);
    }
    for number in 0..30 {
        let bytes = grounded(90_000 + number, GREEN, BLUE);
        workspace.write(&format!("herbs/train/bay/blue-{number:02}.jpg"), &bytes);
    }
    let answer = workspace.json(&["coverage", "herbs"]);
    let confined: Vec<(&str, &Value)> = answer["classes"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|class| {
            let kinds = class["kinds"].as_array().unwrap().iter();
            kinds.map(|kind| (class["class"].as_str().unwrap(), kind))
        })
        .filter(|(_, kind)| !kind["confined"].as_array().unwrap().is_empty())
        .collect();
    assert!(!confined.is_empty(), "{}", answer["classes"][0]);
    for (class, kind) in confined {
        assert_eq!((class, &kind["confined"][0]["value"]), ("bay", &"train".into()));
        let images = strings(&kind["images"]);
        assert!(images.iter().all(|path| path.contains("/bay/blue-")), "{images:?}");
    }
    let pairs = answer["look_alike_classes"].as_array().unwrap();
    assert_eq!(strings(&pairs[0]["classes"]), ["marjoram", "oregano"], "{pairs:?}");
    assert!(pairs[0]["interval"]["low"].as_f64().unwrap() > 0.25, "{}", pairs[0]);
    insta::assert_snapshot!(workspace.message(&["coverage", "herbs", "--limit", "chance=0.001"]));
}

/// An array of NumPy with one row of 32-bit numbers for each image.
fn npy(rows: &[[f32; 3]]) -> Vec<u8> {
    let head =
        format!("{{'descr': '<f4', 'fortran_order': False, 'shape': ({}, 3), }}\n", rows.len());
    let length = u16::try_from(head.len()).unwrap().to_le_bytes();
    let values: Vec<u8> = rows.iter().flatten().flat_map(|value| value.to_le_bytes()).collect();
    [b"\x93NUMPY\x01\x00".as_slice(), &length, head.as_bytes(), &values].concat()
}

#[test]
fn an_array_and_its_paths_take_the_place_of_thumbnails() {
    let workspace = clean();
    // Directions by class; within one, numbers 10 and 30 are closest to 20; sage/004 points elsewhere.
    let (mut rows, mut paths) = (Vec::new(), String::new());
    for (at, name) in ["bay", "dill", "sage"].iter().enumerate() {
        for number in 0..40 {
            let mut row = [0.05 * (number as f32 - 20.0).abs() / 20.0; 3];
            row[at] = 1.0;
            if (*name, number) == ("sage", 4) {
                row = [1.0, 1.0, -1.0];
            }
            rows.push(row);
            let _ = writeln!(paths, "{name}/{number:03}.jpg");
        }
    }
    workspace.write("v.npy", &npy(&rows));
    let missing = workspace.run(&["outliers", "herbs", "--vectors", "v.npy"]);
    assert!(missing.status == 3 && missing.stderr.contains("v.txt"), "{}", missing.stderr);
    workspace.write("v.txt", paths.as_bytes());
    let sheet = ["sheet", "herbs", "--class", "sage", "--order", "atypical", "--per-class", "1"];
    let more = ["--vectors", "v.npy", "--out", "s.html"];
    assert_eq!(workspace.run(&[&sheet[..], &more].concat()).status, 0);
    let page = std::fs::read_to_string(workspace.path("s.html")).unwrap();
    assert!(page.contains("004.jpg") && !page.contains("005.jpg"), "{page}");
    let near =
        ["nearest", "herbs/bay/020.jpg", "--in", "herbs", "--vectors", "v.npy", "--count", "3"];
    insta::assert_snapshot!(workspace.message(&near));
    // Scale says nothing by direction, and much by distance.
    let scaled: Vec<[f32; 3]> = rows.iter().map(|row| row.map(|value| value * 2.0)).collect();
    let mixed: Vec<[f32; 3]> = rows
        .iter()
        .zip(&scaled)
        .enumerate()
        .map(|(at, (row, scaled))| if at % 2 == 0 { *row } else { *scaled })
        .collect();
    let ranked = |distance: &str| {
        let answer =
            workspace.json(&["outliers", "herbs", "--vectors", "v.npy", "--distance", distance]);
        answer["outliers"]
            .as_array()
            .unwrap()
            .iter()
            .map(|one| one["path"].clone())
            .collect::<Vec<_>>()
    };
    let before = [ranked("cosine"), ranked("euclidean")];
    workspace.write("v.npy", &npy(&mixed));
    assert_eq!(ranked("cosine")[..5], before[0][..5]);
    assert_ne!(ranked("euclidean")[..5], before[1][..5]);
    // An array with a row too few, and a line that leads out of the collection.
    workspace.write("v.npy", &npy(&rows[..119]));
    workspace.write("v.txt", paths.replace("bay/000.jpg", "../../secret.jpg").as_bytes());
    let refused = workspace.run(&["coverage", "herbs", "--vectors", "v.npy"]);
    assert_eq!(refused.status, 3);
    insta::assert_snapshot!(refused.stderr);
}
