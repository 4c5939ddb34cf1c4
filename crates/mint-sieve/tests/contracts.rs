//! What programs build on: every field of every JSON answer stands in the manual, and what the manual names is there.

mod support;

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;
use support::{Workspace, grounded, jpeg};

const MANUAL: &str = include_str!("../../../docs/formats.md");

/// The part of the manual under a heading.
fn section(heading: &str) -> &'static str {
    let start = format!("\n## {heading}\n");
    let at = MANUAL.find(&start).unwrap_or_else(|| panic!("the manual has no part {heading}"));
    let rest = &MANUAL[at + start.len()..];
    &rest[..rest.find("\n## ").unwrap_or(rest.len())]
}

/// The words in backticks, each list of them taken apart.
fn names(text: &str) -> BTreeSet<String> {
    let quoted = text.split('`').skip(1).step_by(2);
    let words = quoted.flat_map(|part| part.split([',', ' ', '.', '(', ')', '=']));
    words.filter(|word| !word.is_empty()).map(str::to_owned).collect()
}

/// Keys below which the keys are themselves data: names of limits, actions, classes and numbers that findings rest on.
const MAPS: [&str; 6] = ["limits", "evidence", "counts", "settings", "classes", "shares"];
/// What a step drew stands under the names of its numbers.
const DRAWN: &str = "/tiles/steps/";

/// Every key of an answer, with where it stands.
fn keys(value: &Value, path: &str, into: &mut BTreeMap<String, String>) {
    match value {
        Value::Object(fields) => {
            for (key, value) in fields {
                into.insert(key.clone(), format!("{path}/{key}"));
                if !MAPS.contains(&key.as_str()) || value.is_array() {
                    keys(value, &format!("{path}/{key}"), into);
                }
            }
        }
        Value::Array(values) => values.iter().for_each(|value| keys(value, path, into)),
        _ => {}
    }
}

/// A collection with splits, copies, leaks and broken files.
fn collection() -> Workspace {
    let workspace = Workspace::new();
    for (split, tone) in [("train", 0), ("validation", 300), ("test", 600)] {
        workspace.class(&format!("herbs/{split}/sage"), 8, tone);
        workspace.class(&format!("herbs/{split}/bay"), 6, tone + 100);
    }
    workspace.class("herbs/train/dill", 3, 900);
    workspace.write("herbs/train/sage/again.jpg", &jpeg(2));
    workspace.write("herbs/train/bay/sage.jpg", &jpeg(4));
    workspace.write("herbs/test/sage/leak.jpg", &jpeg(5));
    workspace.write("herbs/test/sage/cut.jpg", &jpeg(40)[..900]);
    workspace.write("herbs/train/Bay/other.jpg", &jpeg(41));
    workspace.write(
        "herbs/mint-sieve.toml",
        b"[[suppress]]\ncode = \"mixed-sizes\"\nreason = \"on purpose\"\n",
    );
    workspace
}

#[test]
fn every_field_of_every_answer_is_in_the_manual() {
    let workspace = collection();
    workspace.class("plain/sage", 9, 2000);
    workspace.class("plain/bay", 9, 2100);
    workspace.write("plain/bay/again.jpg", &jpeg(2003));
    for (class, leaf) in [("sage", [190, 50, 40]), ("bay", [40, 150, 50])] {
        for number in 0..24 {
            let ground = if class == "sage" { [30, 60, 200] } else { [120; 3] };
            let split = if number < 20 { "train" } else { "test" };
            let bytes = grounded(number + u32::from(leaf[0]) * 100, leaf, ground);
            workspace.write(&format!("many/{split}/{class}/{number}.jpg"), &bytes);
        }
    }
    workspace.write("policy.toml", b"[frame]\nsize = 48\n[[step]]\ndo = \"rotate\"\nbetween = [-20, 20]\n[[step]]\ndo = \"brightness\"\nbetween = [0.5, 1.5]\n");
    workspace.message(&["propose", "plain", "--out", "plan.csv"]);
    workspace.message(&["split", "plain", "--to", "splits", "--conflicts", "keep"]);
    let index = std::fs::read_to_string(workspace.path("splits/split.csv")).unwrap();
    let mut predictions = "digest,predicted,score,bay,sage\n".to_owned();
    for row in index.lines().skip(1) {
        let digest = row.rsplit(',').next().unwrap();
        predictions.push_str(&format!("{digest},bay,0.8,0.8,0.2\n"));
    }
    workspace.write("p.csv", predictions.as_bytes());
    let calls: [(&str, &[&str]); 25] = [
        ("audit", &["audit", "herbs"]),
        ("balance", &["balance", "herbs", "--batch", "4"]),
        ("leakage", &["leakage", "herbs", "--limit", "difference=0.01"]),
        ("limits", &["limits", "herbs"]),
        ("duplicates --format json", &["duplicates", "herbs"]),
        ("duplicates --format json", &["duplicates", "herbs", "--against", "plain"]),
        ("nearest --format json", &["nearest", "herbs/train/sage/000.jpg", "--in", "herbs"]),
        ("outliers", &["outliers", "plain", "--sheet", "o.png", "--plan", "o.csv"]),
        ("shortcuts", &["shortcuts", "many"]),
        ("coverage", &["coverage", "many"]),
        ("coverage", &["coverage", "plain"]),
        ("trial", &["trial", "splits", "--seeds", "2", "--views", "grey", "--curve"]),
        ("review", &["review", "p.csv", "--in", "splits", "--against", "p.csv"]),
        ("split", &["split", "plain", "--strata", "format"]),
        ("split", &["split", "herbs", "--resplit", "--seed", "1"]),
        ("verify", &["verify", "splits/split.csv"]),
        ("sheet", &["sheet", "herbs", "--out", "sheet.png"]),
        ("report", &["report", "herbs", "--out", "report.html"]),
        ("propose", &["propose", "herbs", "--cap", "3"]),
        ("apply and undo", &["apply", "plan.csv", "--to", "repaired", "--skip-undecided"]),
        ("gather", &["gather", "plain", "--to", "all"]),
        ("preview", &["preview", "herbs", "--policy", "policy.toml", "--out", "preview.png"]),
        ("preview", &["preview", "herbs", "--policy", "policy.toml", "--frame-only"]),
        ("preview", &["preview", "herbs", "--policy", "policy.toml", "--cost"]),
        ("policy show --format json", &["policy", "show", "policy.toml"]),
    ];
    let everywhere = names(&MANUAL[..MANUAL.find("\n## balance").unwrap()]);
    let mut missing = Vec::new();
    let mut answered: BTreeMap<&str, BTreeSet<String>> = BTreeMap::new();
    for (heading, call) in calls {
        let answer = workspace.json(call);
        assert!(answer["settings"].as_object().is_some_and(|one| !one.is_empty()), "{call:?}");
        let mut found = BTreeMap::new();
        keys(&answer, "", &mut found);
        let here = names(section(heading));
        for (key, path) in found {
            if !here.contains(&key) && !everywhere.contains(&key) && !path.starts_with(DRAWN) {
                missing.push(format!("{heading}: {path}"));
            }
            answered.entry(heading).or_default().insert(key);
        }
    }
    assert!(missing.is_empty(), "not in docs/formats.md:\n{}", missing.join("\n"));
    // The first column of each table names fields that are there.
    for (heading, found) in answered {
        let rows = section(heading).lines().filter(|line| line.starts_with("| `"));
        for name in rows.flat_map(|row| names(row.split('|').nth(1).unwrap())) {
            assert!(found.contains(&name), "{heading}: {name} is in the manual only");
        }
    }
}
