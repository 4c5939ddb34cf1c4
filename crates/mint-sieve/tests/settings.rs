//! `mint-sieve.toml`, `limits`, and the forms in which findings are handed on.

mod support;

use serde_json::Value;
use support::{Workspace, jpeg};

fn codes(answer: &Value) -> Vec<&str> {
    let findings = answer["findings"].as_array().unwrap().iter();
    findings.map(|finding| finding["code"].as_str().unwrap()).collect()
}

#[test]
fn settings_are_found_upward_and_the_command_line_goes_before_them() {
    let workspace = Workspace::healthy();
    workspace.write("mint-sieve.toml", b"[limits]\nthin-class = 30\n");
    let answer = workspace.json(&["audit", "herbs"]);
    assert_eq!(codes(&answer), ["thin-class", "thin-class"]);
    assert_eq!(answer["settings"]["limits"]["thin-class"], 30.0);
    assert_eq!(answer["settings"]["config"], "mint-sieve.toml");
    let answer = workspace.json(&["audit", "herbs", "--limit", "thin-class=21"]);
    assert_eq!(codes(&answer), ["thin-class"]);
    // A nearer file goes before one above, one that is named before both; it is no stray file.
    workspace.write("herbs/mint-sieve.toml", b"");
    let answer = workspace.json(&["audit", "herbs"]);
    assert_eq!((codes(&answer), &answer["collection"]["set_aside"]), (vec![], &1.into()));
    let answer = workspace.json(&["audit", "herbs", "--config", "mint-sieve.toml"]);
    assert_eq!(codes(&answer).len(), 2);
}

#[test]
fn splits_of_the_settings_hold_for_every_command() {
    let workspace = Workspace::new();
    workspace.class("herbs/train/sage", 5, 0);
    workspace.class("herbs/tune/sage", 5, 50);
    workspace.write("mint-sieve.toml", b"splits = [\"validation=tune\"]\n");
    let answer = workspace.json(&["audit", "herbs"]);
    assert_eq!(answer["settings"]["splits"], "validation=tune");
    let splits: Vec<&str> =
        answer["counts"].as_array().unwrap().iter().map(|c| c["split"].as_str().unwrap()).collect();
    assert_eq!(splits, ["train", "validation"]);
    let split = workspace.run(&["split", "herbs"]);
    assert!(split.stderr.contains("is already split, into train, validation"), "{}", split.stderr);
    let answer = workspace.json(&["audit", "herbs", "--splits", "none"]);
    assert!(answer["counts"][0]["split"].is_null());
}

#[test]
fn what_is_accepted_is_taken_out_and_said() {
    let workspace = Workspace::faulty();
    let settings = b"[[suppress]]\ncode = \"wrong-extension\"\nreason = \"renamed later\"\n\
        [[suppress]]\npath = \"bay/*.txt\"\nreason = \"notes stay\"\n\
        [[suppress]]\nclass = \"dill\"\nreason = \"gone by now\"\n";
    workspace.write("mint-sieve.toml", settings);
    let answer = workspace.json(&["audit", "herbs"]);
    let reported = codes(&answer);
    assert!(!reported.contains(&"wrong-extension"));
    assert_eq!(
        reported.iter().filter(|code| **code == "stray-file").count(),
        1,
        "the other one stays"
    );
    let taken: Vec<u64> = answer["suppressed"]
        .as_array()
        .unwrap()
        .iter()
        .map(|ignored| ignored["findings"].as_u64().unwrap())
        .collect();
    assert_eq!(taken, [1, 1, 0]);
    let said = workspace.message(&["audit", "herbs"]);
    assert!(
        said.contains("mint-sieve.toml suppresses 1 finding by bay/*.txt: notes stay"),
        "{said}"
    );
    assert!(said.contains("mint-sieve.toml suppresses 0 findings by dill: gone by now"), "{said}");
    let only = workspace.json(&["audit", "herbs", "--only", "truncated,stray-file"]);
    assert_eq!(codes(&only), ["truncated", "stray-file"]);
    assert_eq!(only["summary"], serde_json::json!({"error": 1, "warning": 0, "note": 1}));
    let calls = ["audit", "herbs", "--only", "stray-file", "--fail-on", "warning"];
    assert_eq!(workspace.run(&calls).status, 0, "what is not told does not fail");
}

#[test]
fn settings_that_make_no_sense_are_refused_with_their_place() {
    let workspace = Workspace::healthy();
    let mut said = String::new();
    for settings in [
        "[limit]\n",
        "[limits]\nthin-clas = 3\n",
        "[limits]\nimbalance = -1\n",
        "[limits]\n\nimbalance = \"ten\"\n",
        "splits = [\"=tune\"]\n",
        "[[suppress]]\nreason = \"all of it\"\n",
        "[[suppress]]\ncode = \"stray\"\nreason = \"x\"\n",
        "[[suppress]]\ncode = \"blank\"\nreason = \" \"\n",
        "[[suppress]]\npath = \"a{b\"\nreason = \"x\"\n",
        "[[suppress]]\ncode = \"blank\"\n",
    ] {
        workspace.write("mint-sieve.toml", settings.as_bytes());
        let answer = workspace.run(&["audit", "herbs"]);
        assert_eq!((answer.status, answer.stdout.as_str()), (2, ""), "{settings}");
        said.push_str(&answer.stderr);
    }
    insta::assert_snapshot!(said);
    assert_eq!(workspace.run(&["audit", "herbs", "--config", "nowhere.toml"]).status, 3);
}

#[test]
fn limits_say_where_they_come_from() {
    let workspace = Workspace::healthy();
    workspace.write("mint-sieve.toml", b"[limits]\ndrift = 0.2\nchance = 0.05\n");
    let answer = workspace.json(&["limits", "herbs", "--limit", "chance=0.001"]);
    let limits = answer["limits"].as_array().unwrap();
    let of = |name: &str| limits.iter().find(|limit| limit["name"] == name).unwrap();
    let reported =
        |name: &str| (of(name)["value"].as_f64().unwrap(), of(name)["from"].as_str().unwrap());
    assert_eq!(reported("drift"), (0.2, "mint-sieve.toml"));
    assert_eq!(reported("chance"), (0.001, "command line"));
    assert_eq!(reported("thin-class"), (20.0, "default"));
    assert_eq!(reported("max-megapixels"), (200.0, "default"));
    assert_eq!(limits.len(), sieve_core::limits::LIMITS.len() + 4);
    assert!(limits.iter().all(|limit| limit["why"].as_str().unwrap().len() > 30));
    std::fs::remove_file(workspace.path("mint-sieve.toml")).unwrap();
    insta::assert_snapshot!(workspace.message(&["limits"]));
    assert_eq!(workspace.run(&["limits", "nowhere"]).status, 3);
}

#[test]
fn findings_come_as_tables_pages_and_logs() {
    let workspace = Workspace::faulty();
    workspace.write("herbs/sage/a|b *c* 100%.jpg", &jpeg(1)[..500]);
    let table = workspace.message(&["audit", "herbs", "--format", "csv"]);
    let answer = workspace.json(&["audit", "herbs"]);
    let mut reader = csv::Reader::from_reader(table.as_bytes());
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    let findings = answer["findings"].as_array().unwrap();
    let images = |finding: &Value| finding["images"].as_array().unwrap().len().max(1);
    assert_eq!(rows.len(), findings.iter().map(images).sum::<usize>());
    assert_eq!(rows.last().unwrap()[0], findings.len().to_string());
    assert!(rows.iter().any(|row| &row[1] == "truncated" && &row[5] == "sage/a|b *c* 100%.jpg"));

    let page = workspace.message(&["audit", "herbs", "--format", "markdown"]);
    assert!(page.contains("- sage/a\\|b \\*c\\* 100%.jpg: JPEG, ends after 500 bytes\n"), "{page}");
    assert!(page.contains("\n| \"Bay \" | 1 | 2.0% | 1 |\n"), "{page}");

    let log = workspace.message(&["audit", "herbs", "--format", "sarif"]);
    let log: Value = serde_json::from_str(&log).unwrap();
    assert_eq!(log["version"], "2.1.0");
    let run = &log["runs"][0];
    let results = run["results"].as_array().unwrap();
    assert_eq!(results.len(), findings.len());
    for (result, finding) in results.iter().zip(findings) {
        assert_eq!((&result["ruleId"], &result["level"]), (&finding["code"], &finding["severity"]));
        let rule = &run["tool"]["driver"]["rules"][result["ruleIndex"].as_u64().unwrap() as usize];
        assert_eq!(rule["id"], finding["code"]);
    }
    let uris: Vec<&str> = results
        .iter()
        .flat_map(|result| result["locations"].as_array().unwrap())
        .map(|at| at["physicalLocation"]["artifactLocation"]["uri"].as_str().unwrap())
        .collect();
    assert!(uris.contains(&"sage/a%7Cb%20%2Ac%2A%20100%25.jpg"), "{uris:?}");
}

/// What holds of every command that reads a collection: the settings are read before anything else,
/// and what they say of limits is checked by those that judge.
#[test]
fn every_command_heeds_the_file() {
    let workspace = Workspace::healthy();
    workspace.write("wrong.toml", b"[limits]\nblank = \"x\"\n");
    for call in [
        "audit herbs",
        "balance herbs",
        "leakage herbs",
        "duplicates herbs",
        "split herbs",
        "preview herbs --policy gentle --out sheet.png",
        "nearest herbs/bay/000.jpg --in herbs",
        "limits herbs",
    ] {
        let words: Vec<&str> = call.split(' ').chain(["--config", "wrong.toml"]).collect();
        let answer = workspace.run(&words);
        assert_eq!((answer.status, answer.stdout.as_str()), (2, ""), "{call}");
        assert!(answer.stderr.contains("wrong.toml, line 2"), "{call}: {}", answer.stderr);
    }
    assert_eq!(workspace.names(), ["herbs", "wrong.toml"]);
}

#[test]
fn each_collection_is_read_by_its_own_settings() {
    let workspace = Workspace::new();
    workspace.class("new/herbs/hold/sage", 3, 100);
    workspace.class("new/herbs/train/sage", 3, 100);
    workspace.class("known/herbs/hold/sage", 3, 100);
    workspace.class("known/herbs/train/sage", 3, 200);
    workspace.write("known/mint-sieve.toml", b"splits = \"test=hold\"\n");
    let call = ["duplicates", "new/herbs", "--against", "known/herbs", "--format", "json"];
    let answer = workspace.json(&call[..4]);
    let splits: Vec<(i64, &str)> = answer["groups"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|group| group["images"].as_array().unwrap())
        .map(|image| {
            (image["collection"].as_i64().unwrap(), image["split"].as_str().unwrap_or("none"))
        })
        .collect();
    assert_eq!(splits.iter().filter(|of| **of == (0, "none")).count(), 6);
    assert_eq!(splits.iter().filter(|of| **of == (1, "test")).count(), 3);
    assert!(!splits.contains(&(1, "none")) && !splits.contains(&(0, "test")), "{splits:?}");
}
