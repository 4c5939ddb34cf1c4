//! `propose`, `apply`, `undo` and `gather`, run on files.

mod support;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::thread;
use std::time::{Duration, UNIX_EPOCH};

use herb_shed::collection::Arrangement;
use support::{Workspace, jpeg, png, strings};

/// Every name below a folder with its bytes, mode and time: what must come back.
fn state(workspace: &Workspace, folder: &str) -> BTreeMap<String, (Option<Vec<u8>>, u128)> {
    let mut state = BTreeMap::new();
    let root = workspace.path(folder);
    let mut left = vec![root.clone()];
    while let Some(path) = left.pop() {
        let facts = fs::metadata(&path).unwrap();
        let time = facts.modified().unwrap().duration_since(UNIX_EPOCH).unwrap().as_nanos();
        let name = path.strip_prefix(&root).unwrap().to_string_lossy().into_owned();
        let bytes = facts.is_file().then(|| fs::read(&path).unwrap());
        if facts.is_dir() {
            left.extend(fs::read_dir(&path).unwrap().map(|entry| entry.unwrap().path()));
        }
        state.insert(name, (bytes, time));
    }
    state
}

/// A copy of the demo's collection that a test may change.
fn own_shed() -> Workspace {
    let (painted, workspace) = (Workspace::new(), Workspace::new());
    painted.lay_shed(Arrangement::Classes);
    for (name, bytes) in painted.files("shed/collection") {
        workspace.write(&format!("shed/collection/{name}"), &bytes);
    }
    fs::create_dir_all(workspace.path("shed/collection/lovage")).unwrap();
    workspace
}

/// The demo collection with a plan in which a person has decided what its table of faults says.
fn decided() -> Workspace {
    let workspace = own_shed();
    workspace.message(&[
        "propose",
        "shed/collection",
        "--drop-code",
        "stray-file,too-dark,washed-out,soft-focus",
        "--out",
        "plan.csv",
    ]);
    decide(&workspace, "plan.csv");
    workspace
}

fn decide(workspace: &Workspace, plan: &str) {
    let text = fs::read_to_string(workspace.path(plan)).unwrap();
    let decided = text
        .replace("nettle/nettle-125.jpg,decide,", "nettle/nettle-125.jpg,drop,")
        .replace("spearmint/spearmint-024.jpg,decide,", "spearmint/spearmint-024.jpg,keep,")
        .replace("unsorted-001.jpg,decide,,", "unsorted-001.jpg,relabel,,spearmint");
    assert_ne!(text, decided);
    fs::write(workspace.path(plan), decided).unwrap();
}

/// The rows of a plan, without digests.
fn rows(workspace: &Workspace, plan: &str) -> String {
    let text = fs::read_to_string(workspace.path(plan)).unwrap();
    let rows = text.lines().filter(|line| !line.trim_start_matches('"').starts_with('#'));
    let short = |row: &str| row.rsplit_once(',').map_or(row, |(row, _)| row).to_owned();
    rows.map(short).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_demo_is_repaired() {
    let workspace = own_shed();
    let text = workspace.message(&["propose", "shed/collection", "--out", "plan.csv"]);
    insta::assert_snapshot!(format!("{text}\n{}", rows(&workspace, "plan.csv")));
    let listed = workspace.message(&["propose", "shed/collection", "--rules", "list"]);
    insta::assert_snapshot!("rules", listed);
    assert_eq!(workspace.names(), ["plan.csv", "shed"]);

    let workspace = decided();
    let before = state(&workspace, "shed/collection");
    let dry = workspace.message(&["apply", "plan.csv", "--to", "repaired", "--dry-run"]);
    let done = workspace.message(&["apply", "plan.csv", "--to", "repaired"]);
    let root = workspace.path("").canonicalize().unwrap();
    let shown = format!("{dry}\n{done}").replace(root.to_str().unwrap(), "ROOT");
    insta::assert_snapshot!("applied", shown.replace("ROOT//", "ROOT/"));
    assert_eq!(state(&workspace, "shed/collection"), before, "the collection itself");
    // What is left needs other images, or was meant so.
    let audit = workspace.json(&["audit", "repaired"]);
    let mut left: Vec<&str> = audit["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["code"].as_str().unwrap())
        .collect();
    left.dedup();
    insta::assert_snapshot!("left", left.join("\n"));
    // Nothing that was kept has changed, and no image is lost that has no copy.
    let repaired = workspace.files("repaired");
    let collection = workspace.files("shed/collection");
    let known: Vec<&Vec<u8>> = collection.values().collect();
    assert!(repaired.values().all(|bytes| known.contains(&bytes)));
    assert!(
        repaired.contains_key("nettle/nettle-020.jpg")
            && repaired.contains_key("thyme/thyme-040.png")
    );
    assert!(!repaired.contains_key("nettle/tray-7.jpg"), "a plainer name stays");
}

#[test]
fn what_was_changed_in_place_comes_back_to_the_byte() {
    let workspace = decided();
    let before = state(&workspace, "shed/collection");
    workspace.message(&["apply", "plan.csv", "--in-place"]);
    let repaired = state(&workspace, "shed/collection");
    assert!(!repaired.contains_key("Bay ") && repaired.contains_key("bay/bay-002-2.jpg"));
    assert!(workspace.path("shed/collection-set-aside-1/dropped/nettle/tray-7.jpg").exists());
    // A second plan on top of the first, with pixels stored anew, and a name that two files exchange.
    workspace.message(&[
        "propose",
        "shed/collection",
        "--rules",
        "orientation,bursts",
        "--bursts",
        "2",
        "--out",
        "more.csv",
    ]);
    let more = fs::read_to_string(workspace.path("more.csv")).unwrap();
    assert!(more.contains(",turn,") || more.contains(",drop,"), "{more}");
    let swap = "sage/sage-001.jpg,rename,,sage-002.jpg,,,,\nsage/sage-002.jpg,rename,,sage-001.jpg,,,,\n\
                dill/dill-001.jpg,convert,,,,,,\n";
    fs::write(workspace.path("more.csv"), more + swap).unwrap();
    workspace.message(&["apply", "more.csv", "shed/collection", "--in-place"]);
    let bytes =
        |state: &BTreeMap<String, (Option<Vec<u8>>, u128)>, name: &str| state[name].0.clone();
    let second = state(&workspace, "shed/collection");
    assert_eq!(bytes(&second, "sage/sage-001.jpg"), bytes(&repaired, "sage/sage-002.jpg"));
    assert_eq!(bytes(&second, "sage/sage-002.jpg"), bytes(&repaired, "sage/sage-001.jpg"));
    assert!(second.contains_key("dill/dill-001.png") && !second.contains_key("dill/dill-001.jpg"));
    // The older one cannot be taken back before the newer one.
    let answer = workspace.run(&["undo", "shed/collection-set-aside-1"]);
    assert_eq!(answer.status, 2);
    assert!(
        answer.stderr.contains("collection-set-aside-2 was applied later"),
        "{}",
        answer.stderr
    );
    workspace.message(&["undo", "shed/collection-set-aside-2"]);
    assert_eq!(state(&workspace, "shed/collection"), repaired);
    workspace.message(&["undo", "shed/collection-set-aside-1/journal.jsonl"]);
    assert_eq!(state(&workspace, "shed/collection"), before);
    // Both may be repeated.
    let again = workspace.message(&["undo", "shed/collection-set-aside-1"]);
    assert!(again.contains("already undone"), "{again}");
    workspace.message(&["apply", "plan.csv", "--in-place"]);
    let names = |state: &BTreeMap<String, (Option<Vec<u8>>, u128)>| {
        state.keys().cloned().collect::<Vec<_>>()
    };
    assert_eq!(names(&state(&workspace, "shed/collection")), names(&repaired));
}

#[test]
fn a_run_that_is_killed_is_gone_on_with_or_taken_back() {
    let workspace = Workspace::new();
    for class in ["sage", "bay", "dill"] {
        for number in 0..60 {
            workspace.write(&format!("herbs/{class}/{number:03}.jpg"), &jpeg(number));
        }
    }
    let mut plan = "path,action,to\n".to_owned();
    for number in 0..60 {
        plan += &format!("sage/{number:03}.jpg,relabel,thyme\nbay/{number:03}.jpg,drop,\n");
    }
    workspace.write("plan.csv", plan.as_bytes());
    let before = state(&workspace, "herbs");
    let apply = ["apply", "plan.csv", "herbs", "--in-place", "--no-audit"];
    workspace.message(&apply);
    let after = workspace.files("herbs");
    workspace.message(&["undo", "herbs-set-aside-1"]);
    fs::remove_dir_all(workspace.path("herbs-set-aside-1")).unwrap();
    let mut interrupted = 0;
    for moment in 0..12u64 {
        let mut run = workspace.spawn(&apply);
        thread::sleep(Duration::from_millis(moment * 6));
        run.kill().unwrap();
        run.wait().unwrap();
        let aside = workspace.path("herbs-set-aside-1");
        if state(&workspace, "herbs") != before {
            interrupted += 1;
        }
        if moment % 2 == 0 && aside.exists() {
            let answer = workspace.run(&["undo", "herbs-set-aside-1"]);
            let is_too_early = answer.stderr.contains("cannot be used: No such file");
            assert!(answer.status == 0 || is_too_early, "{}", answer.stderr);
            assert_eq!(state(&workspace, "herbs"), before, "taken back at {moment}");
        } else {
            // A run that was killed early has changed nothing and begins anew.
            let answer = workspace.run(&apply);
            assert!(
                answer.status == 0 || answer.stderr.contains("no such file"),
                "{}",
                answer.stderr
            );
            assert_eq!(workspace.files("herbs"), after, "gone on with at {moment}");
            let mut folders: Vec<String> = workspace
                .names()
                .into_iter()
                .filter(|name| name.starts_with("herbs-set"))
                .collect();
            folders.reverse();
            for folder in folders {
                workspace.message(&["undo", &folder]);
            }
            assert_eq!(state(&workspace, "herbs"), before, "and taken back at {moment}");
        }
        for name in workspace.names().iter().filter(|name| name.starts_with("herbs-set")) {
            fs::remove_dir_all(workspace.path(name)).unwrap();
        }
    }
    // On a fast machine the moments may all lie before or after the moves: the script kills more.
    eprintln!("{interrupted} of 12 runs were killed between their first and last step");
}

#[test]
fn rows_that_no_longer_fit_are_refused_before_anything_is_touched() {
    let workspace = Workspace::healthy();
    workspace.message(&["propose", "herbs", "--cap", "18", "--out", "plan.csv"]);
    let plan = fs::read_to_string(workspace.path("plan.csv")).unwrap();
    let dropped: Vec<&str> =
        plan.lines().filter_map(|line| line.split_once(",drop,")).map(|row| row.0).collect();
    assert_eq!(dropped.len(), 6 + 2);
    workspace.write(&format!("herbs/{}", dropped[0]), &jpeg(555));
    fs::remove_file(workspace.path("herbs").join(dropped[1])).unwrap();
    let more = format!(
        "{},relabel,,bay,,,,\nsage/020.jpg,rename,,021.jpg,,,,\nbay/001.jpg,decide,,,,,,\n",
        dropped[2]
    );
    fs::write(workspace.path("plan.csv"), plan + &more).unwrap();
    let before = state(&workspace, "herbs");
    for how in [&["--to", "repaired"][..], &["--in-place"]] {
        let answer = workspace.run(&[&["apply", "plan.csv", "herbs"][..], how].concat());
        assert_eq!((answer.status, answer.stdout.as_str()), (2, ""));
        insta::allow_duplicates!(insta::assert_snapshot!("refused", answer.stderr));
    }
    assert_eq!(state(&workspace, "herbs"), before);
    assert_eq!(workspace.names(), ["herbs", "plan.csv"]);
    // Two at once: the second is refused.
    fs::write(workspace.path("one.csv"), "path,action\nsage/005.jpg,drop\n").unwrap();
    let held = fs::File::open(workspace.path("herbs")).unwrap();
    held.lock().unwrap();
    let answer = workspace.run(&["apply", "one.csv", "herbs", "--in-place"]);
    assert_eq!(answer.status, 3);
    assert!(
        answer.stderr.starts_with("error: another `apply` or `undo` is running on "),
        "{}",
        answer.stderr
    );
    drop(held);
    // A folder that may not be written: an error, and all as it was.
    #[cfg(unix)]
    if !is_root() {
        use std::os::unix::fs::PermissionsExt;
        let lock = |mode| {
            fs::set_permissions(workspace.path("herbs/sage"), fs::Permissions::from_mode(mode))
                .unwrap()
        };
        lock(0o555);
        let answer = workspace.run(&["apply", "one.csv", "herbs", "--in-place"]);
        lock(0o755);
        assert_eq!(answer.status, 3, "{}", answer.stderr);
        assert_eq!(state(&workspace, "herbs"), before);
    }
}

/// Whether permissions mean nothing to whoever runs the tests.
fn is_root() -> bool {
    let folder = tempfile_like();
    let file = folder.join("x");
    fs::write(&file, b"x").unwrap();
    let mut permissions = fs::metadata(&file).unwrap().permissions();
    permissions.set_readonly(true);
    fs::set_permissions(&file, permissions).unwrap();
    let is_root = fs::OpenOptions::new().write(true).open(&file).is_ok();
    fs::remove_dir_all(&folder).unwrap();
    is_root
}

fn tempfile_like() -> std::path::PathBuf {
    let folder = std::env::temp_dir().join(format!("mint-sieve-test-{}", std::process::id()));
    fs::create_dir_all(&folder).unwrap();
    folder
}

#[test]
fn wishes_are_granted() {
    let workspace = Workspace::new();
    workspace.class("herbs/s1/monday", 10, 0);
    workspace.class("herbs/s1/tuesday", 10, 20);
    workspace.class("herbs/b2", 9, 40);
    workspace.class("herbs/d3", 3, 60);
    workspace.write("names.csv", b"latin;code;note\nSalvia;s1;x\nLaurus;b2;x\nMentha;m9;x\n");
    let counts = |arguments: &[&str]| -> Vec<(String, u64)> {
        let answer =
            workspace.json(&[&["propose", "herbs", "--class-depth", "1"][..], arguments].concat());
        let classes = answer["classes"].as_array().unwrap().iter();
        let count = |class: &serde_json::Value| {
            (class["class"].as_str().unwrap().to_owned(), class["after"].as_u64().unwrap())
        };
        classes.map(count).filter(|(_, after)| *after > 0).collect()
    };
    let named = |counts: &[(&str, u64)]| {
        counts.iter().map(|(name, count)| ((*name).to_owned(), *count)).collect::<Vec<_>>()
    };
    assert_eq!(counts(&["--cap", "smallest"]), named(&[("b2", 3), ("d3", 3), ("s1", 3)]));
    assert_eq!(counts(&["--cap", "8"]), named(&[("b2", 8), ("d3", 3), ("s1", 8)]));
    assert_eq!(counts(&["--min-images", "5"]), named(&[("b2", 9), ("s1", 20)]));
    assert_eq!(
        counts(&["--min-images", "10", "--merge-into", "other"]),
        named(&[("other", 12), ("s1", 20)])
    );
    assert_eq!(counts(&["--classes", "b2,d3"]), named(&[("b2", 9), ("d3", 3)]));
    assert_eq!(
        counts(&["--rename-from", "names.csv"]),
        named(&[("Laurus", 9), ("Salvia", 20), ("d3", 3)])
    );
    // A cap takes from all folders alike, and other images with another seed.
    let kept = |seed: &str| -> Vec<String> {
        let answer = workspace.json(&[
            "propose",
            "herbs",
            "--class-depth",
            "1",
            "--cap",
            "8",
            "--seed",
            seed,
        ]);
        let rows = answer["rows"].as_array().unwrap().iter().filter(|row| row["from"] == "s1");
        rows.map(|row| row["path"].as_str().unwrap().to_owned()).collect()
    };
    let from = |day: &str| kept("0").iter().filter(|path| path.contains(day)).count();
    assert_eq!((from("monday"), from("tuesday")), (6, 6));
    assert_ne!(kept("0"), kept("1"));
    let answer =
        workspace.json(&["propose", "herbs", "--class-depth", "1", "--rename-from", "names.csv"]);
    assert_eq!(
        (strings(&answer["unmapped_classes"]), strings(&answer["unmatched_names"])),
        (vec!["d3"], vec!["m9"])
    );
    workspace.write("list.txt", b"b2/000.jpg\r\nb2/001.jpg\r\n\r\n");
    assert_eq!(counts(&["--drop-list", "list.txt"])[0], ("b2".to_owned(), 7));
    workspace.write("list.txt", b"b2/900.jpg\n");
    let answer = workspace.run(&["propose", "herbs", "--drop-list", "list.txt"]);
    assert!(
        answer.status == 2 && answer.stderr.contains("line 1: there is no file"),
        "{}",
        answer.stderr
    );
}

#[test]
fn leaks_go_from_train_and_never_from_what_is_measured_on() {
    let workspace = Workspace::new();
    workspace.class("herbs/train/sage", 12, 0);
    workspace.class("herbs/validation/sage", 6, 50);
    workspace.class("herbs/test/sage", 6, 100);
    workspace.write("herbs/train/sage/t.jpg", &jpeg(101));
    workspace.write("herbs/validation/sage/v.jpg", &jpeg(102));
    workspace.write("herbs/train/sage/w.jpg", &jpeg(51));
    let paths = |arguments: &[&str]| -> Vec<String> {
        let answer = workspace.json(&[&["propose", "herbs"][..], arguments].concat());
        let rows = answer["rows"].as_array().unwrap().iter().filter(|row| row["action"] == "drop");
        rows.map(|row| row["path"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(paths(&[]), ["train/sage/t.jpg", "validation/sage/v.jpg", "train/sage/w.jpg"]);
    // Groups stand where their first file does.
    assert_eq!(paths(&["--protect", "validation"]), ["train/sage/t.jpg", "train/sage/w.jpg"]);
    let answer = workspace.run(&["propose", "herbs", "--protect", "tset"]);
    assert!(answer.stderr.contains("there is no such split"), "{}", answer.stderr);
    // Carried out in place, with the split folders where they are.
    workspace.message(&["propose", "herbs", "--out", "plan.csv"]);
    workspace.message(&["apply", "plan.csv", "--in-place"]);
    let leakage = workspace.json(&["leakage", "herbs"]);
    assert_eq!(leakage["remaining_pairs"], 0, "{leakage}");
}

#[test]
fn hostile_names_go_through_a_plan_unharmed() {
    let workspace = Workspace::new();
    workspace.class("herbs/sage", 6, 0);
    let names = [
        "=1+1.jpg",
        "#x.jpg",
        "'q.jpg",
        "a\"b,c.jpg",
        "new\nline.jpg",
        "-r.jpg",
        "\\x23.jpg",
        "ü.jpg",
    ];
    for (number, name) in names.iter().enumerate() {
        workspace.write(&format!("herbs/sage/{name}"), &jpeg(100 + number as u32));
        workspace.write(&format!("herbs/{name}"), &png(200 + number as u32));
    }
    let before = state(&workspace, "herbs");
    workspace.write("all.txt", b"");
    workspace.message(&[
        "propose",
        "herbs",
        "--classes",
        "sage",
        "--cap",
        "1",
        "--out",
        "plan.csv",
    ]);
    let text = fs::read_to_string(workspace.path("plan.csv")).unwrap();
    // As a spreadsheet would save it, with all that lies outside of classes relabelled.
    let changed = text.replace(",decide,,", ",relabel,,=cmd()").replace('\n', "\r\n");
    fs::write(
        workspace.path("plan.csv"),
        format!("\u{feff}{}", changed.replace("new\r\nline", "new\nline")),
    )
    .unwrap();
    workspace.message(&["apply", "plan.csv", "--in-place"]);
    assert!(
        workspace.path("herbs/=cmd()/\\x23.png").exists(),
        "{:?}",
        workspace.files("herbs").keys()
    );
    assert_eq!(workspace.files("herbs/=cmd()").len(), names.len());
    workspace.message(&["undo", "herbs-set-aside-1"]);
    assert_eq!(state(&workspace, "herbs"), before);
}

#[test]
fn images_are_gathered_from_anywhere() {
    let workspace = Workspace::new();
    workspace.class("splits/train/sage", 3, 0);
    workspace.class("splits/test/sage", 2, 50);
    workspace.class("splits/test/bay", 2, 60);
    workspace.write("splits/test/bay/notes.txt", b"dry");
    let text = workspace.message(&["gather", "splits", "--split-folders", "merge", "--to", "one"]);
    insta::assert_snapshot!(text);
    let names: Vec<String> = workspace.files("one").into_keys().collect();
    assert_eq!(
        names,
        [
            "bay/000.jpg",
            "bay/001.jpg",
            "sage/000-2.jpg",
            "sage/000.jpg",
            "sage/001-2.jpg",
            "sage/001.jpg",
            "sage/002.jpg"
        ]
    );
    // The first in the order of paths keeps its name.
    assert_eq!(workspace.files("one")["sage/000.jpg"], jpeg(50));
    workspace.message(&["gather", "splits", "--to", "two", "--link", "hard"]);
    assert_eq!(workspace.files("two")["train/sage/000.jpg"], jpeg(0));
    // Labels in names, from a flat folder.
    for number in 0..3 {
        workspace.write(&format!("flat/bay_{number}.jpg"), &jpeg(number));
        workspace.write(&format!("flat/sage_{number}.jpg"), &jpeg(10 + number));
    }
    let answer =
        workspace.json(&["gather", "flat", "--label-from", "{class}_{n}.jpg", "--to", "three"]);
    assert_eq!(answer["classes"], serde_json::json!({"bay": 3, "sage": 3}));
    assert!(workspace.path("three/bay/bay_2.jpg").exists());
    // A plan for such a collection builds class folders, and cannot change it in place.
    workspace.message(&[
        "propose",
        "flat",
        "--label-from",
        "{class}_{n}.jpg",
        "--classes",
        "bay",
        "--out",
        "plan.csv",
    ]);
    let answer = workspace.run(&["apply", "plan.csv", "--in-place"]);
    assert!(answer.stderr.contains("do not come from folders"), "{}", answer.stderr);
    workspace.message(&["apply", "plan.csv", "--to", "four"]);
    assert_eq!(
        workspace.files("four").into_keys().collect::<Vec<_>>(),
        ["bay/bay_0.jpg", "bay/bay_1.jpg", "bay/bay_2.jpg"]
    );
    assert!(Path::new(&workspace.path("flat/sage_0.jpg")).exists());
}

/// As `cp -a` does.
#[cfg(target_os = "linux")]
#[test]
fn copies_keep_mode_times_attributes_and_holes() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt};

    use rustix::fs::{XattrFlags, getxattr, setxattr};

    let workspace = Workspace::healthy();
    let time = UNIX_EPOCH + Duration::from_secs(1_600_000_000);
    let file = workspace.path("herbs/sage/001.jpg");
    fs::set_permissions(&file, fs::Permissions::from_mode(0o640)).unwrap();
    let keeps_attributes = setxattr(&file, "user.note", b"dry", XattrFlags::empty()).is_ok();
    let large = workspace.path("herbs/sage/empty-rack.bin");
    fs::File::create(&large).unwrap().set_len(4 << 20).unwrap();
    let has_holes = fs::metadata(&large).unwrap().blocks() < 1000;
    fs::set_permissions(workspace.path("herbs/sage"), fs::Permissions::from_mode(0o750)).unwrap();
    for path in [&file, &large, &workspace.path("herbs/sage")] {
        fs::File::open(path).unwrap().set_modified(time).unwrap();
    }
    workspace.write("plan.csv", b"path,action\nbay/001.jpg,drop\n");
    workspace.message(&["apply", "plan.csv", "herbs", "--no-audit", "--to", "out"]);
    let copy = fs::metadata(workspace.path("out/sage/001.jpg")).unwrap();
    assert_eq!((copy.mode() & 0o7777, copy.modified().unwrap()), (0o640, time));
    let folder = fs::metadata(workspace.path("out/sage")).unwrap();
    assert_eq!((folder.mode() & 0o7777, folder.modified().unwrap()), (0o750, time));
    let copy = fs::metadata(workspace.path("out/sage/empty-rack.bin")).unwrap();
    assert_eq!((copy.len(), copy.modified().unwrap()), (4 << 20, time));
    assert!(!has_holes || copy.blocks() < 1000, "{}", copy.blocks());
    if keeps_attributes {
        let mut value = [0; 8];
        let length = getxattr(workspace.path("out/sage/001.jpg"), "user.note", &mut value[..]);
        assert_eq!(&value[..length.unwrap()], b"dry");
    } else {
        eprintln!("skipped: this file system keeps no extended attributes");
    }
}
