//! `balance`, run on files.

mod support;

use serde_json::Value;
use support::{Workspace, jpeg};

/// Splits of two classes; of bay in train twelve of eighteen files are copies.
fn workspace() -> Workspace {
    let workspace = Workspace::new();
    workspace.class("herbs/train/sage", 45, 0);
    workspace.class("herbs/train/bay", 6, 100);
    for copy in 0..12 {
        let copied = jpeg(100 + copy % 3);
        workspace.write(&format!("herbs/train/bay/copy {copy}.jpg"), &copied);
    }
    workspace.class("herbs/test/sage", 15, 200);
    workspace.class("herbs/test/bay", 5, 300);
    workspace
}

#[test]
fn every_number_of_a_small_collection_is_told() {
    insta::assert_snapshot!(workspace().message(&["balance", "herbs", "--batch", "8"]));
}

#[test]
fn json_holds_what_can_be_worked_out_by_hand() {
    let answer = workspace().json(&["balance", "herbs", "--batch", "9", "--beta", "0.5"]);
    assert_eq!(answer["schema"], "mint-sieve/balance/1");
    assert_eq!(answer["settings"]["beta"], 0.5);
    assert_eq!(answer["settings"]["reach"], "wide");
    let near = |value: &Value, expected: f64| {
        let value = value.as_f64().unwrap();
        assert!((value - expected).abs() < 1e-9, "{value} is not {expected}");
    };
    let [bay, sage] = &answer["classes"].as_array().unwrap()[..] else { panic!("{answer}") };
    assert_eq!((&bay["images"], &bay["independent"]), (&23.into(), &11.into()));
    assert_eq!((&bay["shortfall"], &bay["shortfall_independent"]), (&0.into(), &9.into()));
    near(&sage["share"], 60.0 / 83.0);
    assert_eq!(bay["splits"][0]["split"], "train");
    near(&bay["splits"][0]["share"], 18.0 / 63.0);

    let all = &answer["scopes"][0];
    assert!(all["split"].is_null());
    let (p, q) = (60.0 / 83.0, 23.0 / 83.0f64);
    let entropy = -(p * f64::ln(p) + q * q.ln());
    near(&all["files"]["entropy"], entropy);
    near(&all["files"]["evenness"], entropy / 2.0f64.ln());
    near(&all["files"]["effective_classes"], entropy.exp());
    near(&all["files"]["majority_accuracy"], p);
    assert_eq!(all["independent"]["images"], 71);

    assert_eq!(answer["training"], "train");
    near(&answer["weights"][0]["inverse_frequency"], 63.0 / (2.0 * 18.0));
    near(&answer["weights"][0]["effective_images"], 2.0 - 0.5f64.powi(17));
    let weights = |class: usize| answer["weights"][class]["effective_number"].as_f64().unwrap();
    assert!((weights(0) + weights(1) - 2.0).abs() < 1e-9);
    assert_eq!(answer["caps"][0]["drops"], 27);
    let steps = ["steps", "full", "last"].map(|name| answer["steps"][name].as_u64().unwrap());
    assert_eq!(steps, [7, 7, 0]);
    // Wilson's interval for 18 of 20.
    near(&answer["held_out"][0]["interval"]["low"], 0.698_966_354_771_512_8);
    assert_eq!(answer["held_out"][0]["is_too_small"], true);
    let codes: Vec<&str> = answer["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["code"].as_str().unwrap())
        .collect();
    assert_eq!(codes, ["split-too-small", "thin-after-duplicates"]);
}

#[test]
fn the_table_has_a_row_a_class_and_split() {
    let table = workspace().message(&["balance", "herbs", "--format", "csv", "--reach", "exact"]);
    let mut reader = csv::Reader::from_reader(table.as_bytes());
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    let reported: Vec<String> =
        rows.iter().map(|row| [&row[0], &row[1], &row[2], &row[3]].join(" ")).collect();
    let expected = [
        "bay  23 11",
        "bay train 18 6",
        "bay test 5 5",
        "sage  60 60",
        "sage train 45 45",
        "sage test 15 15",
    ];
    assert_eq!(reported, expected);
    assert_eq!(rows[0][5].parse::<f64>().unwrap(), 1.75);
    assert_eq!((&rows[0][8], &rows[1][5]), ("9", ""));
}

#[test]
fn bad_calls_and_empty_collections_are_refused() {
    let workspace = workspace();
    for (call, message) in [
        ("balance herbs --batch 0", "0 is not in 1.."),
        ("balance herbs --beta 1", "expected a number from 0 to below 1"),
        ("balance herbs --limit diffrence=0.1", "Did you mean difference?"),
        ("balance herbs --only thin", "did you mean thin-class?"),
    ] {
        let answer = workspace.run(&call.split(' ').collect::<Vec<_>>());
        assert_eq!((answer.status, answer.stdout.as_str()), (2, ""), "{call}");
        assert!(answer.stderr.contains(message), "{call}: {}", answer.stderr);
    }
    workspace.write("none/readme.txt", b"soon");
    assert_eq!(workspace.run(&["balance", "none"]).status, 3);
    let failed = workspace.run(&["balance", "herbs", "--fail-on", "warning"]);
    assert_eq!(failed.status, 1);
    let ignored = "split-too-small,thin-after-duplicates";
    workspace.message(&["balance", "herbs", "--fail-on", "warning", "--suppress", ignored]);
}
