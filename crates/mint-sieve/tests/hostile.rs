//! Plans, tables, archives, journals and folders that somebody else made: none of them names a place outside, and nothing
//! that another made is removed.

mod support;

use std::collections::BTreeMap;
use std::fs;
use std::io::Write;

use support::{Workspace, jpeg, png};

/// A collection, and files beside it that nothing may touch.
fn shed() -> Workspace {
    let workspace = Workspace::new();
    for (class, tone) in [("bay", 0), ("sage", 40), ("dill", 80)] {
        workspace.class(&format!("herbs/{class}"), 6, tone);
    }
    workspace.write("outside/secret.jpg", &jpeg(500));
    workspace.write("outside/notes.txt", b"mine");
    workspace
}

/// Everything in the workspace, by name.
fn all(workspace: &Workspace) -> BTreeMap<String, Vec<u8>> {
    workspace.files("")
}

/// What is in the workspace now and was not before; fails when anything that was there has changed or is gone.
fn added(workspace: &Workspace, before: &BTreeMap<String, Vec<u8>>) -> Vec<String> {
    let after = all(workspace);
    for (name, bytes) in before {
        assert_eq!(after.get(name), Some(bytes), "{name}");
    }
    after.into_keys().filter(|name| !before.contains_key(name)).collect()
}

fn zip(workspace: &Workspace, name: &str, entries: &[(&[u8], &[u8])]) {
    let mut zip = zip::ZipWriter::new(fs::File::create(workspace.path(name)).unwrap());
    for (number, (_, bytes)) in entries.iter().enumerate() {
        let options = zip::write::SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored);
        zip.start_file(format!("entry-{number:04}"), options).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap();
    // Names as no program would write them: of the same length first, then longer ones through the lengths.
    let mut bytes = fs::read(workspace.path(name)).unwrap();
    for (number, (wanted, _)) in entries.iter().enumerate() {
        bytes = renamed(&bytes, format!("entry-{number:04}").as_bytes(), wanted);
    }
    fs::write(workspace.path(name), bytes).unwrap();
}

/// A ZIP archive with an entry of another name, with all offsets right again.
fn renamed(archive: &[u8], old: &[u8], new: &[u8]) -> Vec<u8> {
    let find = |from: usize| {
        let at = archive[from..].windows(old.len()).position(|part| part == old);
        from + at.expect("the name is there")
    };
    let (local, central) = (find(0), find(find(0) + 1));
    let grown = new.len() - old.len();
    let mut bytes = archive[..local].to_vec();
    bytes.extend_from_slice(new);
    bytes.extend_from_slice(&archive[local + old.len()..central]);
    bytes.extend_from_slice(new);
    bytes.extend_from_slice(&archive[central + old.len()..]);
    let put16 = |bytes: &mut Vec<u8>, at: usize, value: usize| {
        bytes[at..at + 2].copy_from_slice(&(value as u16).to_le_bytes());
    };
    let get32 = |bytes: &[u8], at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    // The lengths of the name stand 4 bytes before it, and 18 in the directory (APPNOTE 4.3.7 and 4.3.12).
    put16(&mut bytes, local - 4, new.len());
    put16(&mut bytes, central + grown - 18, new.len());
    // What comes after the first name has moved: offsets of later entries, and of the directory.
    let end = bytes.windows(4).rposition(|part| part == b"PK\x05\x06").unwrap();
    let mut at = get32(&bytes, end + 16) as usize + grown;
    for (field, by) in [(end + 12, grown), (end + 16, grown)] {
        let value = get32(&bytes, field) + by as u32;
        bytes[field..field + 4].copy_from_slice(&value.to_le_bytes());
    }
    while bytes[at..].starts_with(b"PK\x01\x02") {
        let length = |from: usize| usize::from(u16::from_le_bytes([bytes[from], bytes[from + 1]]));
        let (name, rest) = (length(at + 28), length(at + 30) + length(at + 32));
        let offset = get32(&bytes, at + 42);
        if offset as usize > local {
            let moved = offset + grown as u32;
            bytes[at + 42..at + 46].copy_from_slice(&moved.to_le_bytes());
        }
        at += 46 + name + rest;
    }
    bytes
}

#[test]
fn no_row_of_a_plan_names_a_place_outside() {
    let workspace = shed();
    let outside = workspace.path("outside/new.jpg");
    let outside = outside.to_str().unwrap();
    let rows = [
        format!("bay/000.jpg,convert,{outside}"),
        format!("bay/000.jpg,turn,{outside}"),
        format!("bay/000.jpg,rename,{outside}"),
        "bay/000.jpg,convert,../../outside/new.png".to_owned(),
        "bay/000.jpg,turn,..".to_owned(),
        r"bay/000.jpg,rename,..\x2f..\x2foutside\x2fnew.jpg".to_owned(),
        r"bay/000.jpg,rename,\x2e\x2e".to_owned(),
        r"bay/000.jpg,rename,a\x00b.jpg".to_owned(),
        format!("bay/000.jpg,rename,{}", "a".repeat(256)),
        "bay/000.jpg,rename,.hidden.jpg".to_owned(),
        "bay/000.jpg,relabel,..".to_owned(),
        "bay/000.jpg,relabel,../outside".to_owned(),
        "bay/000.jpg,relabel,.git".to_owned(),
        "bay/000.jpg,relabel,__MACOSX".to_owned(),
        "../outside/secret.jpg,drop,".to_owned(),
        format!("{outside},drop,"),
    ];
    for row in &rows {
        workspace.write("plan.csv", format!("path,action,to\n{row}\n").as_bytes());
        let before = all(&workspace);
        for how in [&["--to", "out"][..], &["--in-place"], &["--in-place", "--dry-run"]] {
            let call = [&["apply", "plan.csv", "herbs", "--no-audit"], how].concat();
            let answer = workspace.run(&call);
            assert_eq!(answer.status, 2, "{row}: {}", answer.stderr);
            assert!(answer.stderr.contains("line 2"), "{row}: {}", answer.stderr);
            assert_eq!(added(&workspace, &before), Vec::<String>::new(), "{row}");
        }
    }
    // A plan that nobody has seen the files for must not choose what it is for.
    let root = workspace.path("herbs");
    let plan = format!(
        "# [collection]\n# roots = ['{}']\npath,action\nbay/000.jpg,drop\n",
        root.display()
    );
    workspace.write("plan.csv", plan.as_bytes());
    let answer = workspace.run(&["apply", "plan.csv", "--in-place"]);
    assert_eq!(answer.status, 2);
    assert!(answer.stderr.contains("Name the collection"), "{}", answer.stderr);
}

#[test]
fn no_table_names_a_place_outside_even_from_an_archive() {
    let names = |workspace: &Workspace| {
        let absolute = workspace.path("outside/new").to_str().unwrap().to_owned();
        [
            "../outside/new".to_owned(),
            absolute,
            "..".to_owned(),
            "a/../../outside".to_owned(),
            ".git".to_owned(),
        ]
    };
    for column in ["split", "class"] {
        for at in 0..5 {
            let workspace = shed();
            let name = names(&workspace)[at].clone();
            let row = |path: &str| match column {
                "split" => format!("{path},bay,{name}\n"),
                _ => format!("{path},{name},train\n"),
            };
            let table = |folder: &str| {
                let rows =
                    [row(&format!("{folder}/000.jpg")), row(&format!("{folder}/001.jpg"))].concat();
                format!(
                    "path,class,split\n{rows}{folder}/002.jpg,bay,train\n{folder}/003.jpg,sage,test\n"
                )
            };
            workspace.write("herbs/labels.csv", table("bay").as_bytes());
            let pictures: Vec<Vec<u8>> = (0..4).map(|tone| jpeg(700 + tone)).collect();
            zip(
                &workspace,
                "herbs.zip",
                &[
                    (b"pics/000.jpg", &pictures[0]),
                    (b"pics/001.jpg", &pictures[1]),
                    (b"pics/002.jpg", &pictures[2]),
                    (b"pics/003.jpg", &pictures[3]),
                    (b"pics/labels.csv", table("pics").as_bytes()),
                ],
            );
            workspace.write("plan.csv", b"path,action,to\nbay/002.jpg,drop,\n");
            let before = all(&workspace);
            let calls: [&[&str]; 6] = [
                &["gather", "herbs/labels.csv", "--to", "out"],
                &["gather", "herbs.zip", "--to", "out"],
                &["apply", "plan.csv", "herbs/labels.csv", "--to", "out", "--no-audit"],
                &["split", "herbs/labels.csv", "--resplit", "--force", "--to", "out"],
                &[
                    "split",
                    "herbs/labels.csv",
                    "--from",
                    "train",
                    "--parts",
                    "train=50,new=50",
                    "--force",
                    "--to",
                    "out",
                ],
                &[
                    "apply",
                    "plan.csv",
                    "herbs",
                    "--splits-from",
                    "herbs/labels.csv",
                    "--to",
                    "out",
                    "--no-audit",
                ],
            ];
            for call in calls {
                let answer = workspace.run(call);
                let reported =
                    format!("{column} {name} {call:?}: {}{}", answer.stdout, answer.stderr);
                let new = added(&workspace, &before);
                assert!(new.iter().all(|name| name.starts_with("out/")), "{reported}\n{new:?}");
                assert!(new.iter().all(|name| !name.contains("/.git/")), "{reported}\n{new:?}");
                // Either the table is refused, or the images are skipped, listed, and the status says so.
                let is_used = column == "class" && !call.contains(&"--splits-from");
                assert!(
                    new.is_empty() || answer.status == 1 || !is_used || name.contains('/'),
                    "{reported}"
                );
                let _ = fs::remove_dir_all(workspace.path("out"));
            }
        }
    }
}

#[test]
fn names_that_cannot_be_stored_are_skipped_and_listed() {
    let workspace = Workspace::new();
    let pictures: Vec<Vec<u8>> = (0..5).map(|tone| jpeg(tone * 9)).collect();
    let long = format!("bay/{}.jpg", "x".repeat(300));
    let deep = format!("{}/000.jpg", "y".repeat(260));
    zip(
        &workspace,
        "herbs.zip",
        &[
            (b"bay/entry-a.jpg", &pictures[0]),
            (long.as_bytes(), &pictures[1]),
            (b"bay/entry\0b.jpg", &pictures[2]),
            (deep.as_bytes(), &pictures[3]),
            (b"bay/entry-e.jpg", &pictures[4]),
        ],
    );
    let answer = workspace.run(&["gather", "herbs.zip", "--to", "out"]);
    assert_eq!(answer.status, 1, "{}", answer.stderr);
    assert!(answer.stdout.contains("2 files were skipped"), "{}", answer.stdout);
    assert!(answer.stdout.contains("304 bytes is too long"), "{}", answer.stdout);
    let folder = workspace.path("out");
    assert_eq!(fs::read_dir(folder.join("bay")).unwrap().count(), 2);
    workspace.write("plan.csv", b"path,action\nbay/entry-a.jpg,drop\n");
    let applied =
        workspace.run(&["apply", "plan.csv", "herbs.zip", "--to", "applied", "--no-audit"]);
    assert_eq!(applied.status, 1, "{}", applied.stderr);
    assert!(applied.stdout.contains("2 files were skipped"), "{}", applied.stdout);
    let split = ["split", "herbs.zip", "--parts", "a=50,b=50", "--force", "--to", "split"];
    let answer = workspace.run(&split);
    assert_eq!(answer.status, 1, "{}", answer.stderr);
    workspace.message(&["verify", "split/split.csv"]);
    #[cfg(unix)]
    {
        use std::os::unix::ffi::OsStrExt;
        // Every byte of the name of a class is kept.
        let class = std::ffi::OsStr::from_bytes(b"caf\xe9");
        let odd = workspace.path("odd").join(class);
        fs::create_dir_all(&odd).unwrap();
        fs::write(odd.join("000.jpg"), jpeg(77)).unwrap();
        workspace.class("odd/bay", 2, 90);
        for call in [
            &["gather", "odd", "--to", "odd-out"][..],
            &["apply", "plan.csv", "odd", "--no-audit", "--to", "odd-applied"],
            &["split", "odd", "--parts", "a=50,b=50", "--force", "--to", "odd-split"],
        ] {
            workspace.write("plan.csv", b"path,action,to\nbay/001.jpg,relabel,caf\\xe9\n");
            workspace.message(call);
        }
        assert!(workspace.path("odd-out").join(class).join("000.jpg").exists());
        assert!(workspace.path("odd-applied").join(class).join("001.jpg").exists());
        workspace.message(&["verify", "odd-split/split.csv"]);
    }
    for strict in [
        &["gather", "herbs.zip", "--to", "strict", "--strict"][..],
        &[&split[..6], &["strict", "--strict"]].concat(),
    ] {
        let answer = workspace.run(strict);
        assert_eq!(answer.status, 3, "{}", answer.stderr);
        assert!(!workspace.path("strict").exists());
    }
}

#[cfg(unix)]
#[test]
fn links_lead_nowhere_unless_they_are_followed() {
    use std::os::unix::fs::symlink;
    let workspace = shed();
    symlink(workspace.path("outside"), workspace.path("herbs/way")).unwrap();
    symlink(workspace.path("outside/secret.jpg"), workspace.path("herbs/bay/link.jpg")).unwrap();
    symlink("../sage/000.jpg", workspace.path("herbs/bay/near.jpg")).unwrap();
    let table =
        "path,class\nway/secret.jpg,bay\nbay/link.jpg,bay\nbay/000.jpg,bay\nsage/000.jpg,sage\n";
    workspace.write("herbs/labels.csv", table.as_bytes());
    let secret = jpeg(500);
    let reveals = |folder: &str| workspace.files(folder).values().any(|bytes| *bytes == secret);
    workspace.run(&["gather", "herbs/labels.csv", "--to", "out"]);
    assert!(workspace.path("out/bay/000.jpg").exists() && !reveals("out"));
    for row in [
        "bay/link.jpg,rename,new.jpg",
        "bay/link.jpg,drop,",
        "bay/near.jpg,relabel,sage",
        "bay/link.jpg,convert,",
    ] {
        workspace.write("plan.csv", format!("path,action,to\n{row}\n").as_bytes());
        for how in [&["--to", "repaired"][..], &["--in-place"]] {
            let answer =
                workspace.run(&[&["apply", "plan.csv", "herbs", "--no-audit"], how].concat());
            assert_eq!(answer.status, 2, "{row}");
            assert!(answer.stderr.contains("symbolic link"), "{}", answer.stderr);
        }
    }
    workspace.write("plan.csv", b"path,action\nsage/001.jpg,drop\n");
    workspace.message(&["apply", "plan.csv", "herbs", "--no-audit", "--to", "repaired"]);
    assert!(!reveals("repaired"));
    // Followed, a link in a collection is a file of it; it is still not moved.
    let followed = ["apply", "plan.csv", "herbs", "--no-audit", "--follow-links"];
    workspace.message(&[&followed[..], &["--to", "followed"]].concat());
    assert!(reveals("followed"));
    workspace.write("plan.csv", b"path,action,to\nbay/near.jpg,relabel,sage\n");
    let answer = workspace.run(&[&followed[..], &["--in-place"]].concat());
    assert_eq!(answer.status, 3);
    assert!(answer.stderr.contains("moves files only"), "{}", answer.stderr);
    assert!(workspace.path("herbs/bay/near.jpg").exists());
}

#[test]
fn nothing_that_another_made_is_removed() {
    let workspace = shed();
    // Beside an output: the names that leftovers have.
    for name in
        [".mint-sieve-config", ".mint-sieve-backup/folder", ".mint-sieve-0123456789abcdef/content"]
    {
        workspace.write(&format!("{name}/mine.txt"), b"mine");
    }
    workspace.write(".mint-sieve-abcdef", b"a file");
    #[cfg(unix)]
    std::os::unix::fs::symlink(
        "mint-sieve-staging/.mint-sieve-0123456789abcdef/1/1",
        workspace.path(".mint-sieve-0123456789abcdef/owner"),
    )
    .unwrap();
    // Beside a collection: the names that journals have.
    workspace.write("herbs-set-aside-1/made/mine.png", b"mine");
    fs::create_dir_all(workspace.path("herbs-set-aside-1/empty")).unwrap();
    workspace.write("herbs-set-aside-x/made/mine.png", b"mine");
    workspace.write("plan.csv", b"path,action,to\nbay/000.jpg,drop,\nbay/001.jpg,convert,\n");
    let before = all(&workspace);
    workspace.message(&["gather", "herbs", "--to", "out"]);
    workspace.message(&["audit", "herbs", "--format", "json"]);
    let apply = ["apply", "plan.csv", "herbs", "--no-audit", "--in-place"];
    workspace.message(&[&apply[..], &["--dry-run"]].concat());
    assert!(added(&workspace, &before).iter().all(|name| name.starts_with("out/")));
    workspace.message(&apply);
    workspace.message(&["undo", "herbs-set-aside-2"]);
    assert!(workspace.path("herbs-set-aside-1/empty").exists());
    let new = added(&workspace, &before);
    let is_ours =
        |name: &String| name.starts_with("out/") || name == "herbs-set-aside-2/journal.jsonl";
    assert!(new.iter().all(is_ours), "{new:?}");
}

#[test]
fn what_was_edited_or_moved_since_is_kept_and_listed() {
    let workspace = shed();
    workspace.write("plan.csv", b"path,action,to\nbay/000.jpg,convert,\nbay/001.jpg,relabel,sage\nsage/002.jpg,drop,\ndill/000.jpg,relabel,mint\n");
    let before = all(&workspace);
    let apply = ["apply", "plan.csv", "herbs", "--no-audit", "--in-place"];
    workspace.message(&apply);
    let again = workspace.message(&apply);
    assert!(again.contains("already applied"), "{again}");
    let painted = [png(1), b"painted over".to_vec()].concat();
    fs::write(workspace.path("herbs/bay/000.png"), &painted).unwrap();
    fs::rename(workspace.path("herbs/mint/000.jpg"), workspace.path("herbs/mint/mine.jpg"))
        .unwrap();
    let answer = workspace.run(&["undo", "herbs-set-aside-1"]);
    assert_eq!((answer.status, answer.stderr.as_str()), (1, ""), "{}", answer.stdout);
    insta::assert_snapshot!(answer.stdout);
    let kept = fs::read(workspace.path("herbs-set-aside-1/edited/bay/000.png")).unwrap();
    assert_eq!(kept, painted, "what somebody painted is kept");
    let after = all(&workspace);
    for (name, bytes) in before.iter().filter(|(name, _)| *name != "herbs/dill/000.jpg") {
        assert_eq!(after.get(name), Some(bytes), "{name}");
    }
    assert_eq!(after["herbs/mint/mine.jpg"], before["herbs/dill/000.jpg"]);
}

#[test]
fn an_image_that_was_made_and_cannot_be_taken_back_is_listed() {
    let workspace = shed();
    workspace.write("plan.csv", b"path,action,to\nbay/000.jpg,convert,\n");
    let before = all(&workspace);
    workspace.message(&["apply", "plan.csv", "herbs", "--no-audit", "--in-place"]);
    fs::remove_dir_all(workspace.path("herbs-set-aside-1/made")).unwrap();
    workspace.write("herbs-set-aside-1/made", b"in the way");
    let answer = workspace.run(&["undo", "herbs-set-aside-1"]);
    assert_eq!(answer.status, 1, "{}", answer.stdout);
    insta::assert_snapshot!(answer.stdout);
    fs::remove_file(workspace.path("herbs-set-aside-1/made")).unwrap();
    let answer = workspace.run(&["undo", "herbs-set-aside-1"]);
    assert_eq!(answer.status, 0, "{}", answer.stdout);
    assert_eq!(added(&workspace, &before), ["herbs-set-aside-1/journal.jsonl"]);
}

#[test]
fn a_digest_that_cannot_be_compared_is_no_match() {
    let workspace = shed();
    workspace.write("herbs/bay/large.bin", &vec![7; 3 << 20]);
    let plan = format!("path,action,digest\nbay/large.bin,drop,{}\n", "0".repeat(64));
    workspace.write("plan.csv", plan.as_bytes());
    let answer = workspace.run(&["apply", "plan.csv", "herbs", "--to", "out", "--max-file", "1"]);
    assert_eq!(answer.status, 2, "{}", answer.stderr);
    assert!(answer.stderr.contains("cannot be read and compared"), "{}", answer.stderr);
}

#[test]
fn plans_are_proposed_that_can_be_applied() {
    let workspace = Workspace::healthy();
    // A JPEG under another ending beside one with its name; the same with accents in two forms.
    workspace.write("herbs/bay/p08.png", &jpeg(400));
    workspace.write("herbs/bay/p08.jpg", &jpeg(401));
    workspace.write("herbs/bay/caf\u{e9}.png", &jpeg(402));
    workspace.write("herbs/bay/cafe\u{301}.jpg", &jpeg(403));
    // A dropped class with a file beyond the limits.
    workspace.class("herbs/rare", 2, 420);
    workspace.write("herbs/rare/large.png", &[png(430), vec![0; 2 << 20]].concat());
    workspace.write("herbs/rare/notes.txt", b"turn on Tuesday");
    let propose =
        ["propose", "herbs", "--max-file", "1", "--min-images", "10", "--out", "plan.csv"];
    workspace.message(&propose);
    workspace.message(&["apply", "plan.csv", "herbs", "--to", "out", "--skip-undecided"]);
    let files = workspace.files("out");
    assert!(files.contains_key("bay/p08-2.jpg") && files.contains_key("bay/p08.jpg"));
    assert!(files.contains_key("bay/caf\u{e9}-2.jpg"), "{:?}", files.keys());
    assert!(!files.keys().any(|name| name.starts_with("rare/")), "no file of the class stays");
    let answer = workspace.run(&["propose", "herbs", "--min-images", "10", "--merge-into", "a/b"]);
    assert_eq!(answer.status, 2);
    assert!(answer.stderr.contains("path separator"), "{}", answer.stderr);
}

#[test]
fn verify_finds_labels_that_were_changed() {
    let workspace = Workspace::new();
    for (class, tone) in [("bay", 0), ("sage", 40), ("dill", 80)] {
        workspace.class(&format!("herbs/{class}"), 12, tone);
    }
    workspace.write("herbs/bay/inner/000.jpg", &jpeg(300));
    workspace.message(&[
        "split",
        "herbs",
        "--parts",
        "train=60,validation=20,test=20",
        "--to",
        "split",
    ]);
    workspace.message(&["verify", "split/split.csv"]);
    let first = |class: &str| {
        let folder = fs::read_dir(workspace.path(&format!("split/train/{class}"))).unwrap();
        let mut names: Vec<_> =
            folder.map(|entry| entry.unwrap().path()).filter(|path| path.is_file()).collect();
        names.sort();
        (names[0].clone(), names[1].clone())
    };
    let swap = |a: &std::path::Path, b: &std::path::Path| {
        let (of_a, of_b) = (fs::read(a).unwrap(), fs::read(b).unwrap());
        fs::write(a, of_b).unwrap();
        fs::write(b, of_a).unwrap();
    };
    let edit = |file: &str, from: &str, to: &str| {
        let text = fs::read_to_string(workspace.path(file)).unwrap();
        assert!(text.contains(from), "{text}");
        fs::write(workspace.path(file), text.replacen(from, to, 1)).unwrap();
    };
    let folder = |name: &str| workspace.path(&format!("split/train/{name}"));
    type Tamper<'a> = (&'a str, Box<dyn Fn() + 'a>, &'a str);
    let tampering: Vec<Tamper<'_>> = vec![
        (
            "another class",
            Box::new(|| fs::rename(first("bay").0, folder("sage/moved.jpg")).unwrap()),
            "moved",
        ),
        ("exchanged", Box::new(|| swap(&first("bay").0, &first("sage").0)), "moved"),
        ("exchanged in a class", Box::new(|| swap(&first("bay").0, &first("bay").1)), "moved"),
        (
            "renamed",
            Box::new(|| fs::rename(first("bay").0, folder("bay/other.jpg")).unwrap()),
            "moved",
        ),
        (
            "changed case",
            Box::new(|| {
                let file = first("bay").0;
                fs::rename(&file, file.with_extension("JPG")).unwrap();
            }),
            "moved",
        ),
        ("class renamed", Box::new(|| fs::rename(folder("bay"), folder("mint")).unwrap()), "moved"),
        (
            "classes merged",
            Box::new(|| {
                for name in fs::read_dir(folder("dill")).unwrap().map(|entry| entry.unwrap().path())
                {
                    let target = folder("sage")
                        .join(format!("x{}", name.file_name().unwrap().to_str().unwrap()));
                    fs::rename(&name, target).unwrap();
                }
            }),
            "moved",
        ),
        ("table edited", Box::new(|| edit("split/split.csv", ",bay,", ",sage,")), "moved"),
        (
            "index exchanged",
            Box::new(|| edit("split/class-index.csv", "0,bay", "0,dill")),
            "class-index",
        ),
        (
            "index renumbered",
            Box::new(|| edit("split/class-index.csv", "1,dill", "7,dill")),
            "class-index",
        ),
        (
            "index gone",
            Box::new(|| fs::remove_file(workspace.path("split/class-index.csv")).unwrap()),
            "class-index",
        ),
        ("other content", Box::new(|| fs::write(first("bay").0, jpeg(999)).unwrap()), "changed"),
        ("gone", Box::new(|| fs::remove_file(first("bay").0).unwrap()), "missing"),
        ("added", Box::new(|| fs::write(folder("bay/new.jpg"), jpeg(998)).unwrap()), "extra"),
    ];
    for (what, tamper, code) in tampering {
        tamper();
        let answer = workspace.run(&["verify", "split/split.csv", "--format", "csv"]);
        assert_eq!(answer.status, 1, "{what}: {}{}", answer.stdout, answer.stderr);
        assert!(
            answer.stdout.lines().any(|line| line.starts_with(&format!("{code},"))),
            "{what}: {}",
            answer.stdout
        );
        fs::remove_dir_all(workspace.path("split")).unwrap();
        workspace.message(&[
            "split",
            "herbs",
            "--parts",
            "train=60,validation=20,test=20",
            "--to",
            "split",
        ]);
    }
    // A table that is sorted otherwise, or written by another spreadsheet, is the same table.
    let text = fs::read_to_string(workspace.path("split/split.csv")).unwrap();
    let (head, rows) = text.split_once('\n').unwrap();
    let mut rows: Vec<&str> = rows.lines().collect();
    rows.reverse();
    let other = format!("\u{feff}{head}\r\n{}\r\n", rows.join("\r\n")).replace(',', ";");
    fs::write(workspace.path("split/split.csv"), other).unwrap();
    workspace.message(&["verify", "split/split.csv"]);
    // Where the images were.
    workspace.message(&["split", "herbs", "--out", "split.csv"]);
    workspace.message(&["verify", "split.csv", "herbs"]);
    edit("split.csv", ",bay,", ",sage,");
    let answer = workspace.run(&["verify", "split.csv", "herbs", "--format", "csv"]);
    assert!(answer.status == 1 && answer.stdout.contains("\nrelabelled,"), "{}", answer.stdout);
    workspace.write("plan.csv", b"# A plan\npath,action,to\nbay/000.jpg,drop,\n");
    let answer = workspace.run(&["verify", "plan.csv", "herbs"]);
    assert!(answer.stderr.contains("it is a repair plan"), "{}", answer.stderr);
}
