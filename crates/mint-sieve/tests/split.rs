//! `split`, run on files.

mod support;

use std::collections::BTreeMap;
use std::fs;

use support::{Workspace, jpeg};

/// The rows of a split table: path, class, split, group, digest.
fn rows(table: &[u8]) -> Vec<[String; 5]> {
    let mut reader = csv::Reader::from_reader(table);
    assert_eq!(reader.headers().unwrap(), vec!["path", "class", "split", "group", "digest"]);
    let rows = reader.records().map(|row| {
        let row = row.unwrap();
        [0, 1, 2, 3, 4].map(|column| row[column].to_owned())
    });
    rows.collect()
}

#[test]
fn the_answer_tells_what_each_class_got() {
    let answer = Workspace::faulty().message(&["split", "herbs", "--seed", "7", "--to", "splits"]);
    insta::assert_snapshot!(answer);
}

#[test]
fn without_a_place_nothing_is_written() {
    let workspace = Workspace::healthy();
    insta::assert_snapshot!(workspace.message(&[
        "split",
        "herbs",
        "--parts",
        "train=0.8,test=0.2"
    ]));
    assert_eq!(workspace.names(), ["herbs"]);
}

#[test]
fn the_tree_is_what_the_table_says() {
    let workspace = Workspace::faulty();
    let source = workspace.files("herbs");
    let keep = ["--conflicts", "keep", "--to", "splits", "--out", "table.csv"];
    workspace.message(&[&["split", "herbs"][..], &keep].concat());
    assert_eq!(workspace.files("herbs"), source, "the collection is only read");
    assert_eq!(workspace.names(), ["herbs", "splits", "table.csv"], "nothing is left over");

    let mut tree = workspace.files("splits");
    let table = tree.remove("split.csv").unwrap();
    let index = String::from_utf8(tree.remove("class-index.csv").unwrap()).unwrap();
    assert!(index.starts_with("index,class,train,validation,test\n0,"), "{index}");
    assert_eq!(fs::read(workspace.path("table.csv")).unwrap(), table);
    let rows = rows(&table);
    assert!(rows.is_sorted_by_key(|row| &row[0]));
    for [path, class, split, group, digest] in &rows {
        let file = tree.remove(&format!("{split}/{path}")).unwrap_or_else(|| panic!("{path}"));
        assert_eq!(file, source[path]);
        assert_eq!(*digest, blake3::hash(&file).to_string());
        assert!(digest.starts_with(group.as_str()) && group.len() == 16);
        assert!(path.starts_with(&format!("{class}/")));
    }
    assert!(tree.is_empty(), "{:?}", tree.keys());

    // Copies stay together, also under two classes.
    let split_of = |path: &str| rows.iter().find(|row| row[0] == path).map(|row| row[2].clone());
    assert_eq!(split_of("bay/copy of 000.jpg"), split_of("bay/000.jpg"));
    assert_eq!(split_of("bay/sage?.jpg"), split_of("sage/003.jpg"));
    for left_out in ["sage/cut.jpg", "sage/empty.jpg", "loose.jpg", "bay/notes.txt"] {
        assert_eq!(split_of(left_out), None);
    }
    // What is whole although something is odd about it takes part.
    assert!(split_of("sage/no-end.jpg").is_some() && split_of("sage/really.jpg").is_some());
}

#[test]
fn the_same_seed_gives_the_same_bytes_on_any_number_of_threads() {
    let workspace = Workspace::faulty();
    let table = |seed, threads| {
        workspace.message(&[
            "split",
            "herbs",
            "--seed",
            seed,
            "--threads",
            threads,
            "--format",
            "csv",
        ])
    };
    let first = table("7", "1");
    assert_eq!(first, table("7", "8"));
    assert_ne!(first, table("8", "1"));
    assert!(first.starts_with("path,class,split,group,digest\nBay /000.jpg,Bay ,"));
}

#[test]
fn json_tells_shares_groups_and_what_was_left_out() {
    let workspace = Workspace::faulty();
    let call = ["split", "herbs", "--seed", "3", "--conflicts", "keep", "--out", "table.csv"];
    let answer = workspace.json(&call);
    assert_eq!(answer["schema"], "mint-sieve/split/1");
    assert_eq!(answer["settings"]["seed"], 3);
    assert_eq!(answer["settings"]["parts"][0]["amount"], "70%");
    assert_eq!(answer["written"]["table"], "table.csv");
    assert!(answer["written"]["tree"].is_null());
    let images = |value: &serde_json::Value| value["images"].as_u64().unwrap();
    let totals: Vec<u64> = answer["splits"].as_array().unwrap().iter().map(images).collect();
    let mut counted: BTreeMap<String, u64> = BTreeMap::new();
    for row in rows(&fs::read(workspace.path("table.csv")).unwrap()) {
        *counted.entry(row[2].clone()).or_default() += 1;
    }
    assert_eq!(totals, [counted["train"], counted["validation"], counted["test"]]);
    assert_eq!(totals.iter().sum::<u64>(), images(&answer["collection"]));
    for class in answer["classes"].as_array().unwrap() {
        let splits = class["splits"].as_array().unwrap();
        assert_eq!(splits.iter().map(images).sum::<u64>(), images(class));
        let requested: f64 = splits.iter().map(|split| split["requested"].as_f64().unwrap()).sum();
        assert!((requested - images(class) as f64).abs() < 1e-9);
    }
    let conflicts: Vec<bool> = answer["groups"]
        .as_array()
        .unwrap()
        .iter()
        .map(|group| group["label_conflict"].as_bool().unwrap())
        .collect();
    assert_eq!(conflicts, [false, true]);
    let left_out = answer["left_out"].as_array().unwrap();
    let reason =
        |path: &str| left_out.iter().find(|file| file["path"] == path).unwrap()["reason"].clone();
    assert_eq!(reason("loose.jpg"), "no-class");
    assert_eq!(reason("sage/cut.jpg"), "set-aside");
    let files = answer["collection"]["files"].as_u64().unwrap();
    assert_eq!(files, images(&answer["collection"]) + left_out.len() as u64);
}

#[test]
fn different_pictures_of_one_group_are_no_label_conflict() {
    let workspace = Workspace::healthy();
    let mut table = "path,class,group\n".to_owned();
    for number in 0..20 {
        let group = if number < 2 { "rack 1" } else { "" };
        table.push_str(&format!("sage/{number:03}.jpg,sage,{group}\n"));
        table.push_str(&format!("bay/{number:03}.jpg,bay,{group}\n"));
    }
    workspace.write("table.csv", table.as_bytes());
    let said = workspace.message(&["split", "table.csv", "--images", "herbs"]);
    assert!(
        said.contains(
            "Kept together: 1 group of images grouped by a table or by name, 4 images in all."
        ),
        "{said}"
    );
    assert!(!said.contains("Label conflict"), "{said}");
    let answer = workspace.json(&["split", "table.csv", "--images", "herbs"]);
    assert_eq!(answer["groups"][0]["label_conflict"], false);
}

#[cfg(unix)]
#[test]
fn links_lead_to_the_pictures() {
    use std::os::unix::fs::MetadataExt;
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--to", "hard", "--link", "hard"]);
    workspace.message(&["split", "herbs", "--to", "soft", "--link", "soft"]);
    let (hard, soft) = (workspace.files("hard"), workspace.files("soft"));
    assert_eq!(hard, soft);
    for [path, _, split, ..] in rows(&hard["split.csv"]) {
        let source = fs::metadata(workspace.path(&format!("herbs/{path}"))).unwrap();
        let hard = fs::symlink_metadata(workspace.path(&format!("hard/{split}/{path}"))).unwrap();
        assert_eq!(hard.ino(), source.ino());
        let soft = fs::symlink_metadata(workspace.path(&format!("soft/{split}/{path}"))).unwrap();
        assert!(soft.is_symlink());
    }
    let text = workspace.message(&["audit", "soft", "--follow-links"]);
    assert!(text.contains("46 files = 44 images in 2 classes + 2 set aside"), "{text}");
}

#[test]
fn copies_keep_their_times_and_are_like_any_other_file() {
    let workspace = Workspace::healthy();
    let taken = std::time::UNIX_EPOCH + std::time::Duration::from_secs(1_000_000_000);
    let source = fs::File::options().write(true).open(workspace.path("herbs/bay/000.jpg")).unwrap();
    source.set_modified(taken).unwrap();
    workspace.message(&["split", "herbs", "--parts", "a=50,b=50", "--to", "splits"]);
    let copy = ["splits/a/bay/000.jpg", "splits/b/bay/000.jpg"].map(|name| workspace.path(name));
    let copy = copy.iter().find(|path| path.exists()).unwrap();
    let facts = fs::metadata(copy).unwrap();
    assert_eq!(facts.modified().unwrap(), taken);
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        workspace.write("plain.txt", b"x");
        let mode = |name| fs::metadata(workspace.path(name)).unwrap().permissions().mode();
        assert_eq!(facts.permissions().mode(), mode("plain.txt"));
        assert_eq!(mode("splits/split.csv"), mode("plain.txt"));
        fs::create_dir(workspace.path("plain")).unwrap();
        assert_eq!(mode("splits"), mode("plain"));
    }
}

#[test]
fn an_empty_folder_is_filled_and_a_full_one_is_not() {
    let workspace = Workspace::healthy();
    fs::create_dir(workspace.path("splits")).unwrap();
    workspace.message(&["split", "herbs", "--to", "splits"]);
    let before = workspace.files("splits");
    let again = workspace.run(&["split", "herbs", "--to", "splits", "--seed", "5"]);
    assert_eq!(again.status, 3);
    insta::assert_snapshot!(again.stderr, @"
    error: splits exists and is not empty
           Nothing was written. Choose another folder, or move this one away.
    ");
    assert_eq!(workspace.files("splits"), before);
}

#[test]
fn what_is_split_is_not_split_again() {
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--to", "splits"]);
    let again = workspace.run(&["split", "splits", "--to", "again"]);
    assert_eq!((again.status, again.stdout.as_str()), (2, ""));
    assert!(
        again.stderr.starts_with("error: splits is already split, into train, validation, test\n")
    );
    assert_eq!(workspace.names(), ["herbs", "splits"]);
    // Unless that is wanted: then it is said what moves, and folders of the old split are none of the new.
    let anew = ["split", "splits", "--resplit", "--seed", "1", "--to", "again"];
    let said = workspace.message(&anew);
    assert!(said.contains("Moved out of held-out splits: "), "{said}");
    let names: Vec<String> = workspace.files("again").into_keys().collect();
    assert_eq!(names.len(), 46);
    assert!(names.iter().all(|name| name.split('/').count() <= 3), "{names:?}");
    assert!(
        workspace.json(&["split", "splits", "--resplit"])["moved_out"]
            .as_array()
            .unwrap()
            .is_empty()
    );
}

#[test]
fn a_collection_without_pictures_gives_no_split() {
    let workspace = Workspace::new();
    workspace.write("herbs/loose.jpg", &jpeg(1));
    workspace.write("herbs/sage/notes.txt", b"x");
    let answer = workspace.run(&["split", "herbs", "--to", "splits"]);
    assert_eq!(answer.status, 3);
    insta::assert_snapshot!(answer.stderr, @"
    error: herbs contains no readable images in class folders
           To see how each file was classified: mint-sieve audit herbs
    ");
    assert_eq!(workspace.names(), ["herbs"]);
}

#[test]
fn what_was_split_can_be_verified_at_any_later_time() {
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--to", "splits"]);
    insta::assert_snapshot!(workspace.message(&["verify", "splits/split.csv"]), @r"
    splits/split.csv
    44 images: train 31, validation 6, test 7
    searched in splits, in split folders

    Every image is in its place with its class and contents; no group or content spans two splits.
    ");
    assert_eq!(workspace.run(&["verify", "splits/split.csv", "herbs"]).status, 0);

    let found = |call: &[&str]| -> serde_json::Value {
        let answer = workspace.run(&[call, &["--format", "json"]].concat());
        assert_eq!(answer.status, 1, "{}", answer.stderr);
        serde_json::from_str(&answer.stdout).unwrap()
    };
    let table = fs::read_to_string(workspace.path("splits/split.csv")).unwrap();
    let paths: Vec<String> = rows(table.as_bytes())
        .into_iter()
        .map(|[path, _, split, ..]| format!("{split}/{path}"))
        .collect();
    fs::remove_file(workspace.path(&format!("splits/{}", paths[0]))).unwrap();
    workspace.write(&format!("splits/{}", paths[1]), &jpeg(900));
    workspace.write("splits/train/bay/new.jpg", &jpeg(901));
    let answer = found(&["verify", "splits/split.csv"]);
    let wrong: Vec<(&str, &str)> = answer["problems"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["code"].as_str().unwrap(), one["message"].as_str().unwrap()))
        .collect();
    assert_eq!(
        wrong,
        [("missing", &paths[0][..]), ("changed", &paths[1]), ("extra", "train/bay/new.jpg")]
    );
    // A table in which a group was cut by hand.
    let groups: Vec<String> =
        rows(table.as_bytes()).into_iter().map(|row| row[3].clone()).collect();
    let first_of_train = rows(table.as_bytes()).iter().position(|row| row[2] == "train").unwrap();
    let first_of_test = rows(table.as_bytes()).iter().position(|row| row[2] == "test").unwrap();
    let [one, other] = [first_of_train, first_of_test].map(|at| format!(",{},", groups[at]));
    let cut = table.replace(&other, &one);
    workspace.write("cut.csv", cut.as_bytes());
    let answer = found(&["verify", "cut.csv", "herbs"]);
    assert_eq!(answer["problems"][0]["code"], "group-cut");
    workspace.write("no.csv", b"path,class\na.jpg,bay\n");
    let answer = workspace.run(&["verify", "no.csv", "herbs"]);
    assert_eq!(answer.status, 3);
    assert!(answer.stderr.contains("it has no column \"split\""), "{}", answer.stderr);
}

#[test]
fn an_earlier_split_goes_on_under_other_names() {
    let workspace = Workspace::healthy();
    let of_content = |file: &str| -> BTreeMap<String, String> {
        let rows = rows(&fs::read(workspace.path(file)).unwrap());
        rows.into_iter().map(|[_, _, split, _, digest]| (digest, split)).collect()
    };
    workspace.message(&["split", "herbs", "--out", "first.csv"]);
    fs::rename(workspace.path("herbs/sage/000.jpg"), workspace.path("herbs/sage/zero.jpg"))
        .unwrap();
    fs::remove_file(workspace.path("herbs/sage/001.jpg")).unwrap();
    workspace.class("herbs/thyme", 12, 700);
    workspace.message(&[
        "split",
        "herbs",
        "--keep",
        "first.csv",
        "--seed",
        "5",
        "--out",
        "second.csv",
    ]);
    let (first, second) = (of_content("first.csv"), of_content("second.csv"));
    let stayed = second.iter().filter(|(digest, split)| first.get(*digest) == Some(split)).count();
    assert_eq!((stayed, second.len()), (first.len() - 1, first.len() + 11));
    let lock = ["split", "herbs", "--keep", "first.csv", "--lock", "test", "--out", "third.csv"];
    workspace.message(&lock);
    let in_test =
        |of: &BTreeMap<String, String>| of.values().filter(|split| *split == "test").count();
    let third = of_content("third.csv");
    assert!(in_test(&third) <= in_test(&first) && third.len() == second.len());
}

#[test]
fn folds_share_one_tree_and_have_a_list_each() {
    let workspace = Workspace::healthy();
    workspace.message(&["split", "herbs", "--folds", "4", "--to", "folds"]);
    let files = workspace.files("folds");
    let text = |name: &str| String::from_utf8(files[name].clone()).unwrap();
    let table = text("split.csv");
    assert!(table.starts_with("path,class,split,group,digest,fold\n"), "{table}");
    assert!(files.contains_key("bay/000.jpg"));
    let mut held_out = 0;
    for fold in 1..=4 {
        let list = rows(text(&format!("fold-{fold}.csv")).as_bytes());
        assert_eq!(list.len(), 44);
        let here = list.iter().filter(|row| row[2] == "validation").count();
        assert!((10..=12).contains(&here), "{here}");
        held_out += here;
    }
    assert_eq!(held_out, 44);
}

#[test]
fn what_cannot_be_had_is_said_and_nothing_is_written() {
    let workspace = Workspace::healthy();
    let calls: [&[&str]; 7] = [
        &["--parts", "train=100,test=30"],
        &["--parts", "train=rest,test=21", "--count-per", "class"],
        &["--parts", "train=rest,test=45"],
        &["--group-by", "plant-{id}_*"],
        &["--group-by", "plant"],
        &["--keep", "herbs/nothing.csv"],
        &["--strata", "camra"],
    ];
    let mut said = String::new();
    for call in calls {
        let answer = workspace.run(&[&["split", "herbs", "--to", "out"][..], call].concat());
        said.push_str(&format!(
            "$ split {}\n{}-> {}\n",
            call.join(" "),
            answer.stderr,
            answer.status
        ));
    }
    insta::assert_snapshot!(said);
    assert_eq!(workspace.names(), ["herbs"]);
}
