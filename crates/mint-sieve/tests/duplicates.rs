//! `duplicates` and `nearest` on painted leaves and copies of them.

mod support;

use std::fs;
use std::path::Path;

use herb_shed::collection::Arrangement;
use support::Workspace;

/// The demo's leaves: copies of every kind are planted among them.
fn shed(workspace: &Workspace, arrangement: Arrangement) -> String {
    workspace.lay_shed(arrangement);
    "shed/collection".to_owned()
}

#[test]
fn what_was_planted_is_found_with_its_kind_and_nothing_else_is() {
    let workspace = Workspace::new();
    let collection = shed(&workspace, Arrangement::Classes);
    let answer = workspace.message(&["duplicates", &collection]);
    insta::assert_snapshot!("duplicates_of_the_demo", answer);
    let kinds = "same-bytes,same-pixels,near,rotated,bordered,cropped,burst";
    let call = ["duplicates", &collection, "--kinds", kinds];
    let found = workspace.json(&call);
    // Every fault of these kinds that the demo lists, with its partner, is in one group.
    let planted = fs::read_to_string(workspace.path("shed/planted.csv")).unwrap();
    let reach = [
        "same-bytes",
        "same-pixels",
        "resaved",
        "resized",
        "cropped",
        "mirrored",
        "rotated",
        "label-conflict",
        "burst",
    ];
    let groups: Vec<Vec<&str>> = found["groups"]
        .as_array()
        .unwrap()
        .iter()
        .map(|group| {
            group["images"]
                .as_array()
                .unwrap()
                .iter()
                .map(|i| i["path"].as_str().unwrap())
                .collect()
        })
        .collect();
    let mut members = 0;
    for row in planted.lines().skip(1) {
        let cells: Vec<&str> = row.split(',').collect();
        if reach.contains(&cells[1]) {
            let together = groups.iter().any(|g| g.contains(&cells[0]) && g.contains(&cells[2]));
            assert!(together, "{row}");
            members += 1;
        }
    }
    assert!(members >= 14, "the demo plants them: {members}");
    let listed: usize = groups.iter().map(Vec::len).sum();
    assert!(listed <= 2 * members, "nothing else is in a group: {groups:?}");
    // The same answer on one thread, from the catalog, and without one.
    let again = [&call[..], &["--threads", "1", "--no-catalog"]].concat();
    assert_eq!(workspace.json(&again), found);
}

#[test]
fn pairs_sheets_and_tables_are_written() {
    let workspace = Workspace::new();
    let collection = shed(&workspace, Arrangement::Splits);
    let call = ["duplicates", &collection, "--kinds", "same-bytes,near,rotated,cropped,burst"];
    let outputs = ["--pairs", "pairs.csv", "--sheet", "sheet.png", "--format", "csv"];
    let table = workspace.message(&[&call[..], &outputs].concat());
    insta::assert_snapshot!("duplicates_table", table);
    insta::assert_snapshot!(
        "duplicates_pairs",
        fs::read_to_string(workspace.path("pairs.csv")).unwrap()
    );
    let sheet = fs::read(workspace.path("sheet.png")).unwrap();
    assert!(sheet.starts_with(b"\x89PNG") && sheet.len() > 20_000);
    // Outputs are never written over, nor into the collection.
    let again = workspace.run(&[&call[..], &outputs].concat());
    assert_eq!(again.status, 3, "{}", again.stderr);
    let inside = format!("{collection}/pairs.csv");
    assert_eq!(workspace.run(&["duplicates", &collection, "--pairs", &inside]).status, 2);
    let within = workspace.json(&["duplicates", &collection, "--within", "split"]);
    let groups = within["groups"].as_array().unwrap().clone();
    assert!(groups.iter().all(|group| group["across_splits"] == false));
}

#[test]
fn another_collection_is_compared_and_the_nearest_are_shown() {
    let workspace = Workspace::new();
    let collection = shed(&workspace, Arrangement::Classes);
    fs::create_dir_all(workspace.path("batch/new")).unwrap();
    let copy = |from: &str, to: &str| {
        fs::copy(workspace.path(&collection).join(from), workspace.path(to)).unwrap();
    };
    copy("sage/sage-014-small.jpg", "batch/new/a.jpg");
    copy("thyme/thyme-031-flip.jpg", "batch/new/b.jpg");
    let call = ["duplicates", &collection, "--against", "batch"];
    insta::assert_snapshot!("duplicates_against", workspace.message(&call));
    workspace.message(&[&call[..], &["--pairs", "p.csv", "--format", "csv"]].concat());
    let pairs = fs::read_to_string(workspace.path("p.csv")).unwrap();
    assert!(
        pairs.lines().skip(1).all(|row| row.split(',').nth(1).unwrap().starts_with("new/")),
        "{pairs}"
    );
    let call = ["nearest", "batch/new/b.jpg", "--in", &collection, "--count", "5"];
    insta::assert_snapshot!("nearest", workspace.message(&call));
    let found = workspace.json(&call);
    assert_eq!(found["nearest"][0]["path"], "thyme/thyme-031-flip.jpg");
    assert_eq!(found["nearest"][1]["kind"], "rotated");
    workspace.message(&[&call[..], &["--sheet", "nearest.png", "--format", "csv"]].concat());
    assert!(Path::new(&workspace.path("nearest.png")).exists());
    let missing = workspace.run(&["nearest", "nobody.jpg", "--in", &collection]);
    assert_eq!(missing.status, 3);
    insta::assert_snapshot!("nearest_of_nothing", missing.stderr);
}

#[test]
fn names_of_any_kind_come_out_whole() {
    let workspace = Workspace::new();
    let names =
        ["a,b \"c\".png", "new\nline.png", "=1+1.png", "\u{202e}gnp.x.png", "Blätter レ.png"];
    for (tone, name) in (0u32..).zip(names) {
        workspace.write(&format!("herbs/sa,ge/{name}"), &support::png(tone / 3));
        workspace.write(&format!("herbs/bay\tleaf/{tone}-{name}"), &support::png(90 + tone));
    }
    let call = ["duplicates", "herbs", "--pairs", "pairs.csv"];
    insta::assert_snapshot!("duplicates_of_odd_names", workspace.message(&call));
    insta::assert_snapshot!(
        "duplicates_of_odd_names_pairs",
        fs::read_to_string(workspace.path("pairs.csv")).unwrap()
    );
    let found = workspace.json(&["duplicates", "herbs", "--kinds", "same-bytes"]);
    let images = found["groups"][0]["images"].as_array().unwrap();
    let mut paths: Vec<&str> = images.iter().map(|image| image["path"].as_str().unwrap()).collect();
    paths.sort_unstable(); // the one to keep comes first
    let sorted = ["sa,ge/=1+1.png", "sa,ge/a,b \"c\".png", "sa,ge/new\nline.png"];
    assert_eq!(paths, sorted);
}

#[test]
fn calls_that_make_no_sense_are_refused_before_anything_is_read() {
    let workspace = Workspace::healthy();
    let calls: [&[&str]; 6] = [
        &["duplicates", "herbs", "--pairs", "out.csv", "--sheet", "./out.csv"],
        &["duplicates", "herbs", "--pairs", "nowhere/out.csv"],
        &["duplicates", "herbs", "--kinds", "near,alike"],
        &["duplicates", "herbs", "--reach", "far"],
        &["duplicates", "herbs", "--against", "nobody"],
        &["nearest", "herbs/sage", "--in", "herbs"],
    ];
    let said = calls.map(|call| {
        let answer = workspace.run(call);
        assert!(answer.stdout.is_empty() && answer.status > 1, "{call:?}");
        format!("$ mint-sieve {}\n{}{}", call.join(" "), answer.stderr, answer.status)
    });
    insta::assert_snapshot!("duplicates_refused", said.join("\n\n"));
    assert_eq!(workspace.names(), ["herbs"], "nothing is left behind");
}

#[test]
fn names_and_folders_do_not_change_what_is_found_by_looks() {
    let workspace = Workspace::new();
    workspace.lay_shed(Arrangement::Classes);
    // The same images in one folder, in the reverse order, so that of each two the other one comes first.
    let mut renamed = 0;
    for (path, bytes) in workspace.files("shed/collection") {
        let ending = path.rsplit('.').next().unwrap();
        if ["jpg", "png", "webp"].contains(&ending) {
            let digest = blake3::hash(&bytes).to_hex();
            let name = format!("{:03}{}", 999 - renamed, &digest.as_str()[..12]);
            workspace.write(&format!("other/a/{name}.{ending}"), &bytes);
            renamed += 1;
        }
    }
    assert!(renamed > 380);
    let reported = |folder: &str| {
        let kinds = "same-bytes,same-pixels,near,rotated,bordered,cropped,marked,burst,look-alike";
        let call = ["duplicates", folder, "--class-depth", "innermost", "--no-catalog"];
        workspace.message(&[&call[..], &["--kinds", kinds, "--pairs", "pairs.csv"]].concat());
        let pairs = fs::read_to_string(workspace.path("pairs.csv")).unwrap();
        fs::remove_file(workspace.path("pairs.csv")).unwrap();
        let mut reported: Vec<String> = pairs
            .lines()
            .map(|line| line.rsplitn(3, ',').take(2).collect::<Vec<_>>().join(" "))
            .collect();
        reported.sort_unstable();
        reported
    };
    let found = reported("shed/collection");
    assert!(found.len() > 15, "{found:?}");
    assert_eq!(reported("other"), found);
}

#[test]
fn what_is_known_of_a_search_never_changes_its_answer() {
    let workspace = Workspace::new();
    for tone in 0..12 {
        workspace.write(&format!("herbs/sage/{tone}a.png"), &support::png(tone));
        workspace.write(&format!("herbs/bay/{tone}b.jpg"), &support::jpeg(tone));
    }
    let herbs = |name: &str| workspace.path(&format!("herbs/{name}"));
    let changes: [&dyn Fn(); 7] = [
        &|| {},
        &|| fs::remove_file(herbs("sage/3a.png")).unwrap(),
        // The same bytes, under another class, then another name; then other bytes; then all as it was.
        &|| fs::rename(herbs("bay/4b.jpg"), herbs("sage/4b.jpg")).unwrap(),
        &|| fs::rename(herbs("sage/5a.png"), herbs("sage/a copy.png")).unwrap(),
        &|| workspace.write("herbs/bay/6b.jpg", &support::jpeg(40)),
        &|| workspace.write("herbs/bay/new.jpg", &support::jpeg(7)),
        &|| fs::remove_file(herbs("bay/new.jpg")).unwrap(),
    ];
    let mut answers = Vec::new();
    for (at, change) in changes.into_iter().enumerate() {
        change();
        for reach in ["near", "wide"] {
            let call = ["duplicates", "herbs", "--reach", reach, "--format", "json"];
            let reported = |more: &[&str]| workspace.run(&[&call[..], more].concat());
            let expected = reported(&["--no-catalog"]);
            let first = reported(&["--catalog", "kept.sqlite", "--verbose"]);
            let again = reported(&["--catalog", "kept.sqlite", "--verbose"]);
            assert_eq!(
                (&first.stdout, &again.stdout),
                (&expected.stdout, &expected.stdout),
                "{at}"
            );
            let is_known = |answer: &str| answer.contains("the search was done before");
            // The last change brings back what was searched before the one before it.
            assert_eq!(is_known(&first.stderr), at == 6, "{at} {reach}");
            assert!(is_known(&again.stderr) && !is_known(&expected.stderr), "{at} {reach}");
            answers.push(expected.stdout);
        }
    }
    answers.dedup();
    assert!(answers.len() > 8, "the changes change the answer");
}

#[test]
fn files_that_go_and_runs_that_are_killed_or_meet_change_no_answer() {
    let workspace = Workspace::new();
    for tone in 0..160 {
        let image = support::png(tone);
        workspace.write(&format!("herbs/sage/{tone}a.png"), &image);
        workspace.write(&format!("herbs/bay/{tone}b.jpg"), &support::jpeg(tone));
    }
    std::thread::sleep(std::time::Duration::from_millis(80));
    let before = workspace.files("herbs");
    let call = ["duplicates", "herbs", "--format", "csv"];
    let expected = workspace.message(&[&call[..], &["--no-catalog"]].concat());
    assert!(expected.lines().count() > 160, "{expected}");
    for milliseconds in [30, 120] {
        let mut child = workspace.spawn(&call);
        std::thread::sleep(std::time::Duration::from_millis(milliseconds));
        child.kill().unwrap();
        child.wait().unwrap();
    }
    let both = [workspace.spawn(&call), workspace.spawn(&call)];
    for child in both {
        let output = child.wait_with_output().unwrap();
        assert_eq!(String::from_utf8(output.stdout).unwrap(), expected);
    }
    assert_eq!(workspace.files("herbs"), before, "a collection is never changed");
    // Images that are known but gone are told of, and the others are compared.
    fs::remove_file(workspace.path("herbs/sage/7a.png")).unwrap();
    let without = workspace.message(&call);
    assert!(!without.contains("7a.png") || without.contains("17a.png"));
    assert!(without.lines().count() < expected.lines().count());
}
