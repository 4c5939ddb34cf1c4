//! `leakage`, run on files: split folders, several roots, split tables.

mod support;

use herb_shed::encode::{self, Jpeg};
use herb_shed::paint::Picture;
use serde_json::Value;
use support::{Workspace, image, jpeg, png, strings};

/// The image of a tone, left and right exchanged.
fn mirrored(tone: u32) -> Vec<u8> {
    let Picture { width, height, data } = image(tone);
    let rows = data.chunks_exact(3 * width);
    let data = rows.flat_map(|row| row.chunks_exact(3).rev().flatten().copied()).collect();
    encode::jpeg(&Picture { width, height, data }, 80.0, Jpeg::Baseline, None)
}

/// 30, 8 and 10 images of two classes; in test three that train has, one of them under another
/// class, in validation one that train has.
fn workspace() -> Workspace {
    let workspace = Workspace::new();
    for (class, tone) in [("bay", 0), ("sage", 1000)] {
        workspace.class(&format!("herbs/train/{class}"), 30, tone);
        workspace.class(&format!("herbs/val/{class}"), 8, tone + 100);
        workspace.class(&format!("herbs/test/{class}"), 10, tone + 200);
    }
    workspace.write("herbs/test/bay/a copy.jpg", &jpeg(3));
    workspace.write("herbs/test/bay/a mirror.jpg", &mirrored(4));
    workspace.write("herbs/test/sage/not bay.png", &png(5));
    workspace.write("herbs/val/sage/a copy.jpg", &jpeg(1005));
    workspace
}

fn pairs(answer: &Value) -> Vec<String> {
    let pairs = answer["pairs"].as_array().unwrap().iter();
    let reported = pairs.map(|pair| {
        let part = |name: &str| pair[name].as_str().unwrap().to_owned();
        format!("{} {} {}", part("path_a"), part("path_b"), part("kind"))
    });
    reported.collect()
}

#[test]
fn matches_are_counted_and_repaired() {
    let workspace = workspace();
    let before = workspace.files("herbs");
    insta::assert_snapshot!(workspace.message(&["leakage", "herbs"]));
    let answer = workspace.json(&["leakage", "herbs"]);
    assert_eq!(answer["schema"], "mint-sieve/leakage/1");
    let expected = [
        "test/bay/a copy.jpg train/bay/003.jpg same-bytes",
        "train/sage/005.jpg val/sage/a copy.jpg same-bytes",
        "test/bay/a mirror.jpg train/bay/004.jpg rotated",
        "test/sage/not bay.png train/bay/005.jpg near",
    ];
    let mut reported = pairs(&answer);
    reported.sort_by_key(|pair| expected.iter().position(|one| one == pair));
    assert_eq!(reported, expected);
    let test = &answer["split_pairs"][0];
    assert_eq!((&test["split"], &test["other_split"]), (&"test".into(), &"train".into()));
    assert_eq!(
        (&test["images"], &test["matched"], &test["copies"]),
        (&23.into(), &3.into(), &3.into())
    );
    assert_eq!(test["max_inflation"].as_f64().unwrap(), 3.0 / 23.0);
    let least = (0.9 - 3.0 / 23.0) / (1.0 - 3.0 / 23.0);
    assert!((test["accuracy_lower_bound"].as_f64().unwrap() - least).abs() < 1e-12);
    assert_eq!(test["classes"][0], serde_json::json!({"class": "bay", "images": 12, "matched": 2}));
    let removals = answer["removals"].as_array().unwrap();
    assert_eq!(removals.len(), 4);
    assert!(removals.iter().all(|removal| removal["split"] == "train"));
    let leaks = answer["findings"].as_array().unwrap();
    let leak = leaks.iter().find(|finding| finding["code"] == "split-leak").unwrap();
    assert_eq!(strings(&leak["evidence"]["copies_to_remove"]), ["train/bay/003.jpg"]);
    assert_eq!(workspace.files("herbs"), before);
}

#[test]
fn what_is_protected_is_not_removed() {
    let workspace = workspace();
    let call = ["leakage", "herbs", "--protect", "train,val", "--removals", "remove.csv"];
    let said = workspace.message(&call);
    assert!(said.contains("removing 3 from test would leave no other match"), "{said}");
    assert!(
        said.contains(
            "1 pair between the protected splits would remain; remove --protect to resolve them."
        ),
        "{said}"
    );
    let sheet = "mint-sieve duplicates herbs --sheet duplicates.png\n";
    assert!(said.ends_with(sheet), "{said}");
    // Where nothing may be removed the next command is one that can be typed.
    let none = workspace.message(&["leakage", "herbs", "--protect", "train,val,test"]);
    assert!(
        none.contains(
            "4 pairs between the protected splits would remain; remove --protect to resolve them."
        ),
        "{none}"
    );
    assert!(none.ends_with("preview herbs --policy gentle --out preview.png\n"), "{none}");
    let table = std::fs::read_to_string(workspace.path("remove.csv")).unwrap();
    insta::assert_snapshot!(table, @r"
    path,split,class,cause,cause_split,kind
    test/bay/a copy.jpg,test,bay,train/bay/003.jpg,train,same-bytes
    test/bay/a mirror.jpg,test,bay,train/bay/004.jpg,train,rotated
    test/sage/not bay.png,test,sage,train/bay/005.jpg,train,near
    ");
    let again = workspace.run(&call);
    assert_eq!(again.status, 3, "nothing is written over: {}", again.stderr);
    let inside = workspace.run(&["leakage", "herbs", "--removals", "herbs/remove.csv"]);
    assert_eq!(inside.status, 2);
    let unknown = workspace.run(&["leakage", "herbs", "--protect", "tets"]);
    assert_eq!(unknown.status, 2);
    assert!(unknown.stderr.contains("Did you mean test?"), "{}", unknown.stderr);
}

#[test]
fn roots_and_tables_are_splits_like_folders() {
    let workspace = workspace();
    let folders = workspace.json(&["leakage", "herbs"]);
    let roots = ["leakage", "train=herbs/train", "val=herbs/val", "test=herbs/test"];
    let roots = workspace.json(&roots);
    assert_eq!(roots["pairs"].as_array().unwrap().len(), 4);
    assert_eq!(roots["split_pairs"], folders["split_pairs"]);
    assert_eq!(roots["drift"], folders["drift"]);

    // The same images unsplit, and a table that tells the splits.
    let mut table = "path,split\n".to_owned();
    for (path, content) in workspace.files("herbs") {
        let (split, rest) = path.split_once('/').unwrap();
        let (class, name) = rest.split_once('/').unwrap();
        let path = format!("{class}/{split} {name}");
        workspace.write(&format!("flat/{path}"), &content);
        table.push_str(&format!("{path},{split}\n"));
    }
    workspace.write("split.csv", table.as_bytes());
    let laid = workspace.json(&["leakage", "flat", "--splits-from", "split.csv"]);
    assert_eq!(laid["split_pairs"], folders["split_pairs"]);
    assert_eq!(laid["settings"]["splits_from"], "split.csv");
    assert_eq!(pairs(&laid)[0], "bay/test a copy.jpg bay/train 003.jpg same-bytes");
    let unsplit = workspace.run(&["leakage", "flat"]);
    assert_eq!(unsplit.status, 2);
    assert!(unsplit.stderr.contains("flat has no splits to compare"), "{}", unsplit.stderr);
    workspace.write("bad.csv", b"file,part\n");
    let bad = workspace.run(&["leakage", "flat", "--splits-from", "bad.csv"]);
    assert_eq!(bad.status, 3);
    assert!(bad.stderr.contains("it has no column \"path\"; it has file, part"), "{}", bad.stderr);
}

#[test]
fn pairs_are_a_table_and_the_same_on_any_number_of_threads() {
    let workspace = workspace();
    for format in ["csv", "json", "text"] {
        let run = |threads| {
            workspace.message(&["leakage", "herbs", "--format", format, "--threads", threads])
        };
        assert_eq!(run("1"), run("7"));
    }
    let table = workspace.message(&["leakage", "herbs", "--format", "csv"]);
    let row = "test/sage/not bay.png,test,sage,train/bay/005.jpg,train,bay,near,";
    assert!(table.contains(row), "{table}");
    let failed = workspace.run(&["leakage", "herbs", "--fail-on", "error"]);
    assert_eq!(failed.status, 1);
}

#[test]
fn classes_that_do_not_match_between_splits_are_told() {
    let workspace = Workspace::new();
    workspace.class("herbs/train/bay leaf", 20, 0);
    workspace.class("herbs/train/mint", 20, 100);
    workspace.class("herbs/train/sage", 20, 200);
    workspace.class("herbs/test/Bay_leaf", 20, 300);
    workspace.class("herbs/test/sage", 20, 400);
    let answer = workspace.json(&["leakage", "herbs", "--suppress", "split-drift"]);
    let message: Vec<&str> = answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["message"].as_str().unwrap())
        .collect();
    let expected = [
        "\"sage\" has index 2 in train and 1 in test",
        "\"Bay_leaf\" is in test only",
        "\"bay leaf\" is in train only",
        "\"mint\" is in train only",
        "\"Bay_leaf\" in test and \"bay leaf\" in train may be one class: case, spaces",
    ];
    assert_eq!(message, expected);
    assert_eq!(answer["missing_classes"][2]["missing"], serde_json::json!(["test"]));
    let moved = &answer["class_index_mismatches"][0]["moved"][0];
    assert_eq!(*moved, serde_json::json!({"class": "sage", "index": 2, "other_index": 1}));
}

#[test]
fn splits_that_are_alike_are_said_to_be() {
    let workspace = Workspace::new();
    for number in 0..80u32 {
        let split = if number * 7 % 10 < 7 { "train" } else { "test" };
        let class = if number % 3 == 0 { "bay" } else { "sage" };
        workspace.write(&format!("herbs/{split}/{class}/{number:02}.jpg"), &jpeg(number));
    }
    let said = workspace.message(&["leakage", "herbs", "--suppress", "split-too-small"]);
    assert!(said.contains("No leakage: no image appears in more than one split."), "{said}");
    assert!(said.contains("the splits look shuffled"), "{said}");
    assert!(said.contains("No findings."), "{said}");
}
