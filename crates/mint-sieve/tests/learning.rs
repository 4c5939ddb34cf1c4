//! `trial` and `review`, run on files: what a small learner finds out, and what wrong predictions say of the data.

mod support;

use std::fmt::Write;
use std::fs;
use std::process::Command;

use serde_json::Value;
use support::{Workspace, grounded, strings};

const GREEN: [u8; 3] = [40, 150, 50];
const RED: [u8; 3] = [190, 50, 40];
const GREY: [u8; 3] = [120, 120, 120];
const BLUE: [u8; 3] = [30, 60, 200];

/// Leaves of one colour on one ground.
fn leaves(workspace: &Workspace, folder: &str, count: u32, leaf: [u8; 3], ground: [u8; 3]) {
    for number in 0..count {
        let tone = number + u32::from(leaf[0]) * 1000 + folder.len() as u32 * 77;
        workspace.write(&format!("{folder}/{number:02}.jpg"), &grounded(tone, leaf, ground));
    }
}

/// Bay is green and sage is red, on one ground: colour tells them apart.
fn split_herbs() -> Workspace {
    let workspace = Workspace::new();
    for (split, count) in [("train", 10), ("validation", 6)] {
        leaves(&workspace, &format!("herbs/{split}/bay"), count, GREEN, GREY);
        leaves(&workspace, &format!("herbs/{split}/sage"), count, RED, GREY);
    }
    workspace
}

#[test]
fn a_trial_compares_policies_claims_nothing_that_it_cannot_and_runs_nothing_twice() {
    let workspace = split_herbs();
    let call = ["trial", "herbs", "--seeds", "2", "--training-images", "20"];
    let policies = [&call[..], &["--policies", "none,gentle"]].concat();
    insta::assert_snapshot!(workspace.message(&policies));
    let runs = || fs::read_dir(workspace.catalogs().join("runs")).unwrap().count();
    // Two policies at two budgets with two seeds.
    assert_eq!(runs(), 8);
    let views = [&call[..], &["--views", "whole,colours", "--curve"]].concat();
    let answer = workspace.json(&views);
    // The whole images at all epochs are known; colours, a quarter and half of the images are new.
    assert_eq!(runs(), 14);
    assert_eq!(answer["training_images"], 20);
    let view = |at: usize| answer["views"][at]["accuracy"]["share"].as_f64().unwrap();
    assert!(answer["views"][1]["view"] == "colours" && view(1) > 0.9 && view(0) > 0.9, "{answer}");
    assert_eq!(answer["curve"]["shares"], serde_json::json!([0.25, 0.5, 1.0]));
    assert_eq!(workspace.json(&views), answer);
    assert_eq!(runs(), 14);
    let text = workspace.message(&views);
    assert!(text.contains("expect a model to rely on colour"), "{text}");
    // Nothing is written where nothing is kept, and a damaged run is run again.
    let run = fs::read_dir(workspace.catalogs().join("runs")).unwrap().next().unwrap().unwrap();
    fs::write(run.path(), b"mint-sieve run 1\nno").unwrap();
    assert_eq!(workspace.json(&views), answer);
}

#[cfg(unix)]
#[test]
fn an_interrupted_trial_keeps_the_runs_that_are_finished() {
    let workspace = split_herbs();
    let call = ["trial", "herbs", "--policies", "none", "--seeds", "20", "--training-images", "20"];
    let call = [&call[..], &["--threads", "2"]].concat();
    let run = workspace.spawn(&call);
    let runs = workspace.catalogs().join("runs");
    let files = || -> Vec<std::path::PathBuf> {
        let entries = fs::read_dir(&runs).into_iter().flatten().flatten();
        entries.map(|entry| entry.path()).filter(|path| path.is_file()).collect()
    };
    while files().is_empty() {
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    Command::new("kill").args(["-INT", &run.id().to_string()]).status().unwrap();
    let output = run.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(130), "{output:?}");
    assert!(output.stdout.is_empty());
    let kept = files();
    assert!((1..20).contains(&kept.len()), "{kept:?}");
    // Every file is whole: nothing is kept of the runs that were under way.
    for file in kept {
        assert!(fs::read(file).unwrap().starts_with(b"mint-sieve run 1\n"));
    }
}

#[test]
fn what_cannot_be_tried_is_refused_before_any_training() {
    let workspace = split_herbs();
    leaves(&workspace, "flat/bay", 4, GREEN, GREY);
    leaves(&workspace, "flat/sage", 4, RED, GREY);
    let calls: [(&[&str], i32, &str); 7] = [
        (&["trial", "herbs", "--seeds", "1"], 2, "leaves no interval"),
        (&["trial", "flat"], 2, "there is no train split"),
        (&["trial", "herbs", "--policies", "none,none"], 2, "names none twice"),
        (&["trial", "herbs", "--policies", "gentel"], 3, "Did you mean gentle"),
        (&["trial", "herbs", "--epochs", "14"], 2, "45..=1000"),
        (&["trial", "herbs", "--views", "edge"], 2, "whole, grey, colours, border, centre"),
        (&["trial", "herbs/train"], 2, "there is no train split"),
    ];
    for (call, status, expected) in calls {
        let answer = workspace.run(call);
        assert_eq!(answer.status, status, "{call:?}: {}", answer.stderr);
        assert!(answer.stderr.contains(expected), "{call:?}: {}", answer.stderr);
    }
    assert!(!workspace.catalogs().join("runs").exists());
}

#[test]
fn a_label_that_was_swapped_is_found_out_of_fold_and_becomes_a_row_to_decide_on() {
    let workspace = Workspace::new();
    leaves(&workspace, "herbs/bay", 9, GREEN, GREY);
    leaves(&workspace, "herbs/sage", 9, RED, GREY);
    workspace.write("herbs/bay/swapped.jpg", &grounded(5, RED, GREY));
    let call = ["trial", "herbs", "--out-of-fold", "p.csv"];
    let text = workspace.message(&call);
    assert!(text.contains("Predicted 19 images of 2 classes out of fold."), "{text}");
    let table = fs::read_to_string(workspace.path("p.csv")).unwrap();
    assert!(table.starts_with("path,class,predicted,score,bay,sage\n"), "{table}");
    assert_eq!(table.lines().count(), 20);
    let answer = workspace.json(&["review", "p.csv", "--in", "herbs", "--plan", "plan.csv"]);
    let first = &answer["doubtful"]["labels"][0];
    assert_eq!((&first["path"], &first["proposed"]), (&"bay/swapped.jpg".into(), &"sage".into()));
    let wrong = &answer["wrong"][0];
    assert_eq!(
        (&wrong["path"], &wrong["suggestion"]),
        (&"bay/swapped.jpg".into(), &"relabel?".into())
    );
    let refused = workspace.run(&["apply", "plan.csv", "--to", "out"]);
    assert!(
        refused.status == 2 && refused.stderr.contains("plan.csv cannot be applied"),
        "{}",
        refused.stderr
    );
    let plan = fs::read_to_string(workspace.path("plan.csv")).unwrap();
    workspace.write("decided.csv", plan.replace(",decide,", ",relabel,").as_bytes());
    workspace.message(&["apply", "decided.csv", "--to", "out"]);
    assert!(workspace.path("out/sage/swapped.jpg").exists());
}

/// A split collection with a copy across its splits, and predictions of its test images.
fn predicted() -> Workspace {
    let workspace = Workspace::new();
    for (class, leaf) in [("bay", GREEN), ("dill", BLUE), ("sage", RED)] {
        leaves(&workspace, &format!("herbs/train/{class}"), 9, leaf, GREY);
        leaves(&workspace, &format!("herbs/test/{class}"), 6, leaf, GREY);
    }
    let copy = fs::read(workspace.path("herbs/train/bay/00.jpg")).unwrap();
    workspace.write("herbs/test/bay/00.jpg", &copy);
    let mut table = "path,predicted,score\n".to_owned();
    for class in ["bay", "dill", "sage"] {
        for number in 0..6 {
            let wrong = class == "dill" && number < 2 || class == "bay" && number == 3;
            let predicted = if wrong { "sage" } else { class };
            let score = 0.95 - f64::from(number) / 20.0;
            let _ = writeln!(table, "test/{class}/{number:02}.jpg,{predicted},{score:.2}");
        }
    }
    workspace.write("p.csv", table.as_bytes());
    workspace
}

#[test]
fn a_review_says_what_the_score_is_worth_and_what_is_wrong() {
    let workspace = predicted();
    insta::assert_snapshot!(workspace.message(&["review", "p.csv", "--in", "herbs"]));
    // By the numbers of an index, as JSON Lines, with rows that fit nothing.
    workspace.write("index.csv", b"index,class\n0,sage\n1,dill\n2,bay\n");
    let lines = "{\"path\": \"test/bay/00.jpg\", \"class_index\": 2}\n{\"path\": \"test/bay/01.jpg\", \"class_index\": 0}\n\
                 {\"path\": \"../elsewhere.jpg\", \"class_index\": 0}\n{\"path\": \"test/bay/02.jpg\", \"class_index\": 7}\n\
                 {\"path\": \"test/bay/03.jpg\", \"class_index\": 2}\n{\"path\": \"test/bay/03.jpg\", \"class_index\": 2}\n";
    workspace.write("p.jsonl", lines.as_bytes());
    let call = ["review", "p.jsonl", "--in", "herbs", "--class-index", "index.csv"];
    let answer = workspace.json(&call);
    assert_eq!(
        (&answer["matched"], &answer["scores"]["accuracy"]["share"]),
        (&2.into(), &0.5.into())
    );
    let unmatched = &answer["unmatched"];
    assert_eq!(strings(&unmatched["unknown"]), ["../elsewhere.jpg"]);
    assert_eq!(strings(&unmatched["repeated"]), ["test/bay/03.jpg"]);
    assert_eq!(unmatched["missing"].as_array().unwrap().len(), 14);
    assert_eq!(unmatched["unusable"][0]["why"], "the class index has no number \"7\"");
    assert_eq!(
        (&answer["doubtful"], &answer["scores"]["calibration"]),
        (&Value::Null, &Value::Null)
    );
    let refused = workspace.run(&["review", "p.jsonl", "--in", "herbs"]);
    assert!(refused.status == 3 && refused.stderr.contains("--class-index"), "{}", refused.stderr);
    workspace.write("none.csv", b"path,predicted\nbay/00.jpg,bay\n");
    let none = workspace.run(&["review", "none.csv", "--in", "herbs"]);
    assert!(none.status == 3 && none.stderr.contains("relative to its root"), "{}", none.stderr);
}

#[test]
fn a_page_a_sheet_charts_and_earlier_predictions() {
    let workspace = predicted();
    let earlier = fs::read_to_string(workspace.path("p.csv")).unwrap();
    workspace.write(
        "old.csv",
        earlier.replace("test/sage/05.jpg,sage", "test/sage/05.jpg,bay").as_bytes(),
    );
    let call = [
        "review",
        "p.csv",
        "--in",
        "herbs",
        "--against",
        "old.csv",
        "--out",
        "r.html",
        "--sheet",
        "r.png",
        "--chart",
        "c.svg",
        "--calibration-chart",
        "k.png",
    ];
    let answer = workspace.json(&call);
    assert_eq!(strings(&answer["against"]["improved"]), ["test/sage/05.jpg"]);
    let against = &answer["against"];
    assert!(against["p"].as_f64().unwrap() > 0.999 && against["both_right"] == 14, "{against}");
    assert_eq!(strings(&answer["written"]), ["r.html", "r.png", "c.svg", "k.png"]);
    let page = fs::read_to_string(workspace.path("r.html")).unwrap();
    for part in [
        "1. dill predicted as sage, score 95.0%",
        "no difference can be claimed",
        "Content-Security-Policy",
    ] {
        assert!(page.contains(part), "{part}");
    }
    assert!(!page.contains("src=\"http") && !page.contains("href=\"http"));
    let chart = fs::read_to_string(workspace.path("c.svg")).unwrap();
    assert!(chart.contains("confusion of the predictions") && chart.contains("2 dill"), "{chart}");
    for picture in ["r.png", "k.png"] {
        assert!(fs::read(workspace.path(picture)).unwrap().starts_with(b"\x89PNG"));
    }
    let table = workspace.message(&["review", "p.csv", "--in", "herbs", "--format", "csv"]);
    let head = "path,class,predicted,score,nearest_predicted,similarity_predicted,nearest_own,similarity_own,reason,flags,suggestion,margin\n";
    assert!(table.starts_with(head) && table.lines().count() == 19, "{table}");
    let copy = table.lines().find(|row| row.starts_with("test/bay/00.jpg")).unwrap();
    assert!(copy.contains(",duplicate,"), "{copy}");
    let again = workspace.run(&call);
    assert!(again.status == 3 || again.status == 2, "{}", again.stderr);
    let wrong = workspace.run(&["review", "p.csv", "--in", "herbs", "--out", "r.pdf"]);
    assert!(wrong.status == 2 && wrong.stderr.contains("Did you mean r.html?"), "{}", wrong.stderr);
}
