//! Collections of every kind, and what is kept of them, by the built program.

mod support;

use std::fs;
use std::io::Write;

use support::{Workspace, jpeg, strings};

/// A ZIP archive of what lies below a folder of the workspace.
fn zip(workspace: &Workspace, folder: &str, archive: &str) {
    let mut writer = zip::ZipWriter::new(fs::File::create(workspace.path(archive)).unwrap());
    for (name, content) in workspace.files(folder) {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        writer.write_all(&content).unwrap();
    }
    writer.finish().unwrap();
}

/// The first lines of an answer: what is here and how it was read.
fn head(answer: &str) -> String {
    answer.split("\n\n").take(2).map(|part| format!("{part}\n\n")).collect()
}

#[test]
fn every_kind_of_collection_says_how_it_was_read() {
    let workspace = Workspace::healthy();
    zip(&workspace, "herbs", "herbs.zip");
    workspace.class("nested/woody/bay", 2, 0);
    workspace.class("nested/soft/dill", 3, 10);
    workspace.class("wrapped/herbs/sage", 2, 0);
    workspace.class("wrapped/herbs/bay", 2, 10);
    workspace.class("mixed/train/sage", 3, 0);
    workspace.class("mixed/test/sage", 1, 10);
    workspace.class("mixed/tune/sage", 1, 20);
    workspace.class("mixed/later", 2, 30);
    workspace.class("flat", 2, 0);
    workspace.write("flat/bay_7.jpg", &jpeg(50));
    workspace.write("flat/sage_8.jpg", &jpeg(51));
    let rows =
        "file,label,set\nherbs/bay/000.jpg,bay,val\nherbs/sage/001.jpg,sage,train\ngone.jpg,bay,\n";
    workspace.write("table.csv", rows.as_bytes());
    workspace.class("shelf/pics", 6, 40);
    let rows: String = (0..6).map(|n| format!("{n:03}.jpg;{}\n", ["bay", "sage"][n % 2])).collect();
    workspace.write("shelf/labels.csv", format!("file;herb\n{rows}").as_bytes());
    zip(&workspace, "shelf", "shelf.zip");
    for (tone, split) in [(0, "train"), (6, "test")] {
        for n in 0..6 {
            let name = format!("named/{split}/{}_{n}.jpg", ["bay", "sage"][n % 2]);
            workspace.write(&name, &jpeg(60 + tone + n as u32));
        }
    }
    let mut all = String::new();
    for call in [
        "herbs.zip",
        "nested",
        "nested --class-depth 1",
        "wrapped",
        "mixed",
        "mixed --splits validation=tune",
        "flat",
        "flat --label-from {class}_{n}.jpg",
        "table.csv --columns path=file,class=label,split=set",
        "train=herbs test=nested/woody",
        "shelf",
        "shelf/labels.csv --columns path=file,class=herb --images shelf/pics",
        "shelf.zip",
        "named",
        "named --label-from {split}/{class}_{n}.{*}",
    ] {
        let words: Vec<&str> = ["audit"].into_iter().chain(call.split(' ')).collect();
        all.push_str(&format!("$ mint-sieve audit {call}\n{}", head(&workspace.message(&words))));
    }
    insta::assert_snapshot!(all);
}

#[test]
fn commands_to_paste_keep_how_the_collection_is_read() {
    let workspace = Workspace::new();
    workspace.write("flat/bay_7.jpg", &jpeg(50));
    workspace.write("flat/sage_8.jpg", &jpeg(51));
    let said = workspace.message(&["audit", "flat", "--label-from", "{class}_{n}.jpg"]);
    let next = said.lines().last().unwrap();
    assert!(next.contains("split flat --label-from '{class}_{n}.jpg' --to flat-splits"), "{next}");
}

#[test]
fn an_archive_is_split_like_its_folder() {
    let workspace = Workspace::faulty();
    zip(&workspace, "herbs", "herbs.zip");
    let split = |collection: &str, to: &str| workspace.json(&["split", collection, "--to", to]);
    let (folder, archive) = (split("herbs", "from-folder"), split("herbs.zip", "from-archive"));
    assert_eq!(folder["classes"], archive["classes"]);
    assert_eq!(workspace.files("from-folder"), workspace.files("from-archive"));
    let linked = workspace.run(&["split", "herbs.zip", "--to", "links", "--link", "soft"]);
    assert_eq!(linked.status, 2);
    assert!(linked.stderr.contains("cannot be linked"), "{}", linked.stderr);
    assert!(!workspace.path("links").exists());
    let preview =
        ["preview", "herbs.zip", "--policy", "gentle", "--out", "sheet.png", "--draws", "1"];
    assert_eq!(workspace.run(&preview).status, 0);
}

#[test]
fn groups_of_a_table_stay_together_and_its_columns_are_carried() {
    let workspace = Workspace::healthy();
    let mut table = "path,class,group,rack\n".to_owned();
    for number in 0..24 {
        table
            .push_str(&format!("herbs/sage/{number:03}.jpg,sage,moment {},{number}\n", number / 4));
    }
    workspace.write("table.csv", table.as_bytes());
    let answer = workspace.json(&["split", "table.csv", "--to", "splits", "--parts", "a=50,b=50"]);
    let groups = answer["groups"].as_array().unwrap();
    assert_eq!(groups.len(), 6);
    assert!(groups.iter().all(|group| strings(&group["images"]).len() == 4));
    let written = String::from_utf8(fs::read(workspace.path("splits/split.csv")).unwrap()).unwrap();
    let mut lines = written.lines();
    assert_eq!(lines.next(), Some("path,class,split,group,digest,rack"));
    for (number, line) in lines.enumerate() {
        assert!(line.starts_with(&format!("herbs/sage/{number:03}.jpg,sage,")), "{line}");
        assert!(line.ends_with(&format!(",{number}")), "{line}");
    }
    let there = workspace.files("splits");
    assert_eq!(there.keys().filter(|path| path.contains("/sage/herbs/")).count(), 0, "{there:?}");
    assert_eq!(there.len(), 26);
}

#[test]
fn what_is_measured_is_kept_between_runs() {
    let workspace = Workspace::faulty();
    std::thread::sleep(std::time::Duration::from_millis(80));
    let audit =
        |options: &[&str]| workspace.run(&[&["audit", "herbs", "--verbose"], options].concat());
    let reported = |options: &[&str]| {
        let answer = audit(options);
        let line = answer.stderr.lines().find_map(|line| line.split("measured ").nth(1));
        (answer.stdout, line.unwrap().to_owned())
    };
    let (first, numbers) = reported(&[]);
    assert_eq!(numbers, "hits=0 read=56 gone=0");
    assert_eq!(reported(&[]), (first.clone(), "hits=56 read=0 gone=0".to_owned()));
    assert_eq!(reported(&["--recheck"]).1, "hits=0 read=56 gone=0");
    let kept = fs::read_dir(workspace.catalogs()).unwrap().count();
    assert_eq!(reported(&["--no-catalog"]), (first.clone(), "hits=0 read=56 gone=0".to_owned()));
    assert_eq!(fs::read_dir(workspace.catalogs()).unwrap().count(), kept);
    assert_eq!(reported(&["--catalog", "mine.sqlite"]).0, first);
    assert_eq!(reported(&["--catalog", "mine.sqlite"]).1, "hits=56 read=0 gone=0");
    assert!(workspace.path("mine.sqlite").exists());

    workspace.write("mine.sqlite", &[0xee; 5000]);
    let answer = workspace.run(&["audit", "herbs", "--catalog", "mine.sqlite"]);
    assert_eq!((answer.status, &answer.stdout), (0, &first));
    let expected = "warning: the catalog was damaged and has been moved to mine.sqlite.damaged; \
                    reading every file\n";
    assert_eq!(answer.stderr, expected);
}

#[test]
fn a_cache_that_cannot_be_written_is_no_reason_to_stop() {
    let workspace = Workspace::healthy();
    let expected = workspace.message(&["audit", "herbs"]);
    fs::remove_dir_all(workspace.catalogs()).unwrap();
    fs::write(workspace.catalogs(), b"a file in its place").unwrap();
    let answer = workspace.run(&["audit", "herbs"]);
    assert_eq!((answer.status, answer.stdout), (0, expected));
    assert!(answer.stderr.starts_with("warning: measurements cannot be cached in "));
    assert_eq!(answer.stderr.lines().count(), 1, "{}", answer.stderr);
}
