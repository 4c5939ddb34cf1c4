//! Several runs at once, and runs that are killed: one gets the place, the others are reported, and nothing is left half.

mod support;

use std::collections::BTreeSet;
use std::process::{Child, Output};
use std::time::Duration;

use support::Workspace;

fn ended(runs: Vec<Child>) -> Vec<Output> {
    runs.into_iter().map(|run| run.wait_with_output().unwrap()).collect()
}

/// What each command writes, under one name for all its runs.
const WRITERS: [(&str, &[&str]); 7] = [
    ("page.html", &["report", "herbs", "--out", "page.html"]),
    ("sheet.png", &["sheet", "herbs", "--out", "sheet.png"]),
    ("chart.svg", &["balance", "herbs", "--chart", "chart.svg"]),
    ("plan.csv", &["propose", "herbs", "--out", "plan.csv"]),
    ("splits", &["split", "herbs", "--to", "splits"]),
    ("all", &["gather", "herbs", "--to", "all"]),
    (
        "preview.png",
        &["preview", "herbs", "--policy", "gentle", "--sheet-only", "--out", "preview.png"],
    ),
];

#[test]
fn of_runs_that_write_to_one_place_one_does_and_the_others_say_so() {
    let workspace = Workspace::healthy();
    // What one run alone writes.
    let alone = Workspace::healthy();
    for (name, call) in WRITERS {
        alone.message(call);
        let runs = (0..3).map(|_| workspace.spawn(call)).collect();
        let outputs = ended(runs);
        let done = outputs.iter().filter(|output| output.status.success()).count();
        assert_eq!(done, 1, "{name}: {outputs:?}");
        for output in outputs.iter().filter(|output| !output.status.success()) {
            let said = String::from_utf8_lossy(&output.stderr);
            assert_eq!(output.status.code(), Some(3), "{name}: {said}");
            assert!(
                said.contains("exists already") || said.contains("exists and is not empty"),
                "{said}"
            );
        }
        // All of it is there, and as if nobody else had tried. A page and a plan name the folder that they are for.
        let names_folder = ["page.html", "plan.csv"].contains(&name);
        let is_file = workspace.path(name).is_file();
        if is_file && !names_folder {
            let content = |workspace: &Workspace| std::fs::read(workspace.path(name)).unwrap();
            assert!(content(&workspace) == content(&alone), "{name}");
        } else if !is_file {
            assert!(workspace.files(name) == alone.files(name), "{name}");
        }
    }
    let mut expected: BTreeSet<String> =
        WRITERS.iter().map(|(name, _)| (*name).to_owned()).collect();
    expected.insert("herbs".to_owned());
    assert_eq!(workspace.names().into_iter().collect::<BTreeSet<_>>(), expected);
}

#[test]
fn killed_runs_leave_no_half_and_the_next_one_sweeps_up() {
    let workspace = Workspace::healthy();
    let before = workspace.files("herbs");
    for (name, call) in WRITERS {
        let mut interrupted = 0;
        for wait_ms in [0, 15, 40, 90] {
            let mut run = workspace.spawn(call);
            std::thread::sleep(Duration::from_millis(wait_ms));
            // It may have ended by itself.
            let _ = run.kill();
            interrupted += u32::from(!run.wait().unwrap().success());
            // The name is there only for what is whole.
            let path = workspace.path(name);
            if path.is_dir() {
                assert!(path.join("split.csv").exists() || name == "all", "{name}");
                std::fs::remove_dir_all(path).unwrap();
            } else if path.exists() {
                assert!(std::fs::metadata(&path).unwrap().len() > 100, "{name}");
                std::fs::remove_file(path).unwrap();
            }
        }
        assert!(interrupted > 0, "{name}: no run was interrupted, so that nothing was tested");
        // Whatever was left is swept by the run that goes through, which says so.
        let through = workspace.run(call);
        assert_eq!(through.status, 0, "{name}: {}", through.stderr);
    }
    assert!(workspace.files("herbs") == before);
    let mut expected: BTreeSet<String> =
        WRITERS.iter().map(|(name, _)| (*name).to_owned()).collect();
    expected.insert("herbs".to_owned());
    assert_eq!(workspace.names().into_iter().collect::<BTreeSet<_>>(), expected);
}

#[test]
fn readers_at_once_share_one_catalog() {
    let workspace = Workspace::faulty();
    let call = ["audit", "herbs", "--format", "json"];
    let outputs = ended((0..5).map(|_| workspace.spawn(&call)).collect());
    for output in &outputs {
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        assert_eq!(output.stdout, outputs[0].stdout);
    }
    // The next one reads nothing again, and says the same.
    let again = workspace.run(&["audit", "herbs", "--format", "json", "-v"]);
    assert_eq!(again.stdout.as_bytes(), outputs[0].stdout);
}
