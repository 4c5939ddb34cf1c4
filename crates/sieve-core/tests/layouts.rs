//! Collections of every kind: archives, tables, labels in names, several roots.

mod support;

use std::fs::{self, File};
use std::io::Write;
use std::path::Path;

use sieve_core::catalog::{self, Catalog, Options};
use sieve_core::collection::{
    self, ClassDepth, Columns, LayoutOptions, Pattern, Remark, Request, Root, SplitFolders,
};
use sieve_core::duplicates::{self, CollectionRef};
use sieve_core::finding::{Code, Finding};
use sieve_core::limits::FindingLimits;
use sieve_core::progress::NoProgress;
use sieve_core::{Error, audit};
use support::{folder, jpeg, outcomes};
use zip::write::SimpleFileOptions;

fn measured(request: &Request) -> Catalog {
    let collection = collection::open(request, &collection::NoCache, &NoProgress).unwrap();
    catalog::measure(collection, &Options::default(), None, &NoProgress).unwrap()
}

fn findings(catalog: &Catalog) -> Vec<Finding> {
    let side = [CollectionRef { catalog, store: None, limits: &Default::default() }];
    let found = duplicates::find(&side, &Default::default(), &NoProgress).unwrap();
    audit::audit(catalog, &found, &FindingLimits::default(), &[]).findings
}

/// `path split class`, a line a file.
fn places(catalog: &Catalog) -> Vec<String> {
    let tell = |record: &sieve_core::record::Record| {
        let (split, class) = (record.split().unwrap_or("-"), record.class().unwrap_or("-"));
        format!("{} {split} {class}", record.path)
    };
    catalog.records.iter().map(tell).collect()
}

/// Packs entries (name, content) into a tar archive as they are, whatever their names.
fn tar_of(entries: &[(&str, &[u8])]) -> Vec<u8> {
    let mut archive = tar::Builder::new(Vec::new());
    for (name, content) in entries {
        let mut header = tar::Header::new_ustar();
        header.as_mut_bytes()[..name.len()].copy_from_slice(name.as_bytes());
        header.set_size(content.len() as u64);
        header.set_mode(0o644);
        header.set_cksum();
        archive.append(&header, *content).unwrap();
    }
    archive.into_inner().unwrap()
}

fn zip_of(entries: &[(&str, &[u8])]) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, content) in entries {
        archive.start_file(*name, SimpleFileOptions::default()).unwrap();
        archive.write_all(content).unwrap();
    }
    archive.finish().unwrap().into_inner()
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packed.write_all(bytes).unwrap();
    packed.finish().unwrap()
}

/// Two frames, as parallel packers write them.
fn zstandard(bytes: &[u8]) -> Vec<u8> {
    let level = ruzstd::encoding::CompressionLevel::Fastest;
    let (first, second) = bytes.split_at(bytes.len() / 2);
    [first, second].map(|half| ruzstd::encoding::compress_to_vec(half, level)).concat()
}

/// Every kind of archive that holds `entries`, by its name.
fn archives(entries: &[(&str, &[u8])]) -> [(&'static str, Vec<u8>); 4] {
    let tar = tar_of(entries);
    let (gz, zst) = (gzip(&tar), zstandard(&tar));
    [("a.zip", zip_of(entries)), ("a.tar", tar), ("a.tar.gz", gz), ("a.tar.zst", zst)]
}

#[test]
fn archives_are_read_like_the_folders_they_hold() {
    let image = jpeg(7);
    let images: Vec<Vec<u8>> = (0..40).map(jpeg).collect();
    let names: Vec<String> = (0..40).map(|n| format!("train/薄荷 {}/{n}.jpg", n % 2)).collect();
    let mut entries: Vec<(&str, &[u8])> =
        names.iter().map(String::as_str).zip(images.iter().map(Vec::as_slice)).collect();
    let others: [(&str, &[u8]); 5] = [
        ("test/薄荷 1/a.jpg", &image),
        ("test/薄荷 1/cut.jpg", &image[..image.len() / 2]),
        ("test/薄荷 1/notes.txt", b"notes"),
        ("test/.hidden/a.jpg", &image),
        ("test/empty.jpg", b""),
    ];
    entries.extend(others);
    entries.push(("split.csv", b"path,class,split,group,digest\n"));
    let root = folder(&entries);
    let expected = measured(&Request::at(root.path()));
    let places_of_notes = places(&expected);
    assert!(places_of_notes.contains(&"train/薄荷 1/7.jpg train 薄荷 1".to_owned()));
    let elsewhere = folder(&[]);
    for (name, archive) in archives(&entries) {
        let file = elsewhere.path().join(name);
        fs::write(&file, archive).unwrap();
        let found = measured(&Request::at(&file));
        assert_eq!(places(&found), places_of_notes, "{name}");
        assert_eq!(outcomes(&found), outcomes(&expected), "{name}");
        let digests = |catalog: &Catalog| -> Vec<_> {
            catalog.images().map(|(record, m)| (record.size_bytes, m.digest)).collect()
        };
        assert_eq!(digests(&found), digests(&expected), "{name}");
        // A part of the files, in another order, each with its own bytes.
        let wanted: Vec<_> = [12, 3, 30].map(|at| found.records[at].located()).to_vec();
        let limits = Default::default();
        let sizes = found.collection.visit(&wanted, &limits, &NoProgress, |at, bytes| {
            (at, bytes.unwrap().bytes.len() as u64)
        });
        let expected = [12, 3, 30].map(|at| found.records[at].size_bytes);
        assert_eq!(
            sizes.unwrap(),
            [(0, expected[0]), (1, expected[1]), (2, expected[2])],
            "{name}"
        );
    }
}

#[test]
fn entries_that_lead_out_of_an_archive_are_refused() {
    let image = jpeg(1);
    let entries: [(&str, &[u8]); 5] = [
        ("sage/a.jpg", &image),
        ("../b.jpg", &image),
        ("/tmp/c.jpg", &image),
        ("sage/../../d.jpg", &image),
        ("./sage/e.jpg", &image),
    ];
    let root = folder(&[]);
    for (name, archive) in archives(&entries) {
        let file = root.path().join(name);
        fs::write(&file, archive).unwrap();
        let catalog = measured(&Request::at(&file));
        let expected = [
            "../b.jpg: Refused(\"the path contains ..\")",
            "/tmp/c.jpg: Refused(\"the path is absolute\")",
            "sage/../../d.jpg: Refused(\"the path contains ..\")",
            "sage/a.jpg: image",
            "sage/e.jpg: image",
        ];
        assert_eq!(outcomes(&catalog), expected, "{name}");
        assert!(!root.path().parent().unwrap().join("b.jpg").exists());
    }
    let mut links = tar::Builder::new(File::create(root.path().join("links.tar")).unwrap());
    for (kind, name) in
        [(tar::EntryType::Symlink, "sage/s.jpg"), (tar::EntryType::Link, "sage/h.jpg")]
    {
        let mut header = tar::Header::new_gnu();
        header.set_entry_type(kind);
        header.set_size(0);
        links.append_link(&mut header, name, "/etc/hostname").unwrap();
    }
    links.finish().unwrap();
    let catalog = measured(&Request::at(root.path().join("links.tar")));
    assert_eq!(
        outcomes(&catalog),
        [
            "sage/h.jpg: Refused(\"it is a hard link\")",
            "sage/s.jpg: Refused(\"it is a symbolic link\")"
        ]
    );
}

/// A ZIP of which every entry has the bytes of the first: its list names one local header many times.
fn overlapping_zip(image: &[u8], entries: u16) -> Vec<u8> {
    let honest = zip_of(&[("sage/0.jpg", image)]);
    let list = honest.windows(4).position(|bytes| bytes == b"PK\x01\x02").unwrap();
    let end = honest.windows(4).position(|bytes| bytes == b"PK\x05\x06").unwrap();
    let mut archive = honest[..list].to_vec();
    for number in 0..entries {
        let at = archive.len();
        archive.extend(&honest[list..end]);
        // The name is of one length, so that nothing else changes.
        let name = archive[at..].windows(6).position(|bytes| bytes == b"sage/0").unwrap();
        archive[at + name + 5] = b'0' + number as u8;
    }
    let length = (archive.len() - list) as u32;
    let mut tail = honest[end..].to_vec();
    tail[8..10].copy_from_slice(&entries.to_le_bytes());
    tail[10..12].copy_from_slice(&entries.to_le_bytes());
    tail[12..16].copy_from_slice(&length.to_le_bytes());
    archive.extend(tail);
    archive
}

#[test]
fn entries_of_one_name_one_place_or_a_drive_are_told() {
    let images: Vec<Vec<u8>> = (0..4).map(jpeg).collect();
    let root = folder(&[]);
    let catalog_of = |name: &str, bytes: &[u8]| {
        let file = root.path().join(name);
        fs::write(&file, bytes).unwrap();
        measured(&Request::at(&file))
    };
    // The writer of archives refuses two entries of a name: the name of one is changed behind its back.
    let entries: [(&str, &[u8]); 4] = [
        ("sage/a.jpg", &images[0]),
        ("sage/b.jpg", &images[1]),
        ("C:\\x.jpg", &images[2]),
        ("D:/dill/x.jpg", &images[3]),
    ];
    for (name, archive) in archives(&entries) {
        let mut archive = archive;
        if name == "a.zip" {
            let names =
                archive.windows(10).enumerate().filter(|(_, bytes)| *bytes == b"sage/b.jpg");
            let places: Vec<usize> = names.map(|(at, _)| at).collect();
            places.into_iter().for_each(|at| archive[at + 5] = b'a');
        } else {
            let twice = [("sage/a.jpg", &images[0][..]), ("sage/a.jpg", &images[1])];
            let tar = tar_of(&[&twice[..], &entries[2..]].concat());
            archive = match name {
                "a.tar" => tar,
                "a.tar.gz" => gzip(&tar),
                _ => zstandard(&tar),
            };
        }
        let catalog = catalog_of(name, &archive);
        let reported = findings(&catalog);
        let of = |code: Code| reported.iter().filter(move |finding| finding.code == code);
        let message: Vec<&str> =
            of(Code::ListedTwice).map(|finding| finding.message.as_str()).collect();
        let expected = "sage/a.jpg: the archive has 2 entries of this name; the last was read";
        assert_eq!(message, [expected], "{name}");
        assert_eq!(of(Code::RefusedEntry).count(), 2, "{name}: {reported:?}");
        assert_eq!(catalog.collection.classes(), ["sage"], "{name}: a drive is no class");
    }
    let catalog = catalog_of("overlap.zip", &overlapping_zip(&images[0], 9));
    assert_eq!(catalog.images().count(), 1);
    let refused =
        outcomes(&catalog).iter().filter(|reported| reported.contains("another entry")).count();
    assert_eq!(refused, 8);
}

#[test]
fn a_table_in_an_archive_labels_its_pictures() {
    let images: Vec<Vec<u8>> = (0..6).map(jpeg).collect();
    let names: Vec<String> = (0..6).map(|n| format!("pics/{n}.jpg")).collect();
    let mut entries: Vec<(&str, &[u8])> =
        names.iter().map(String::as_str).zip(images.iter().map(Vec::as_slice)).collect();
    let rows: String = (0..6).map(|n| format!("{n}.jpg,{}\n", ["bay", "sage"][n % 2])).collect();
    let table = format!("file,label\n{rows}gone.jpg,bay\n");
    entries.push(("labels.csv", table.as_bytes()));
    let root = folder(&[]);
    for (name, archive) in archives(&entries) {
        let file = root.path().join(name);
        fs::write(&file, archive).unwrap();
        let catalog = measured(&Request::at(&file));
        assert_eq!(catalog.collection.classes(), ["bay", "sage"], "{name}");
        assert_eq!(
            catalog.images().filter(|(r, _)| r.class() == Some("sage")).count(),
            3,
            "{name}"
        );
        assert!(outcomes(&catalog).contains(&"pics/gone.jpg: Missing".to_owned()), "{name}");
        // Who asks for folders gets folders.
        let options =
            LayoutOptions { class_depth: Some(ClassDepth::Folders(1)), ..LayoutOptions::default() };
        let folders = measured(&Request { options, ..Request::at(&file) });
        assert_eq!(folders.collection.classes(), ["pics"], "{name}");
    }
}

#[test]
fn archives_that_are_cut_short_are_told() {
    let images: Vec<Vec<u8>> = (0..9).map(jpeg).collect();
    let names: Vec<String> = (0..9).map(|n| format!("sage/{n}.jpg")).collect();
    let entries: Vec<(&str, &[u8])> =
        names.iter().map(String::as_str).zip(images.iter().map(Vec::as_slice)).collect();
    let root = folder(&[]);
    for (name, archive) in archives(&entries) {
        let file = root.path().join(name);
        fs::write(&file, &archive[..archive.len() * 2 / 3]).unwrap();
        if name == "a.zip" {
            // Its list of entries stands at the end.
            let error = collection::open(&Request::at(&file), &collection::NoCache, &NoProgress)
                .unwrap_err();
            assert!(matches!(error, Error::RootUnreadable { .. }), "{error}");
            continue;
        }
        let catalog = measured(&Request::at(&file));
        let found = findings(&catalog);
        assert!(found.iter().any(|finding| finding.code == Code::Unreadable), "{name}: {found:?}");
        assert!(catalog.images().count() >= 3, "{name}: what came before is read");
    }
}

#[test]
fn labels_come_from_names_and_tables() {
    let image = jpeg(1);
    let root = folder(&[
        ("in/sage_1.jpg", &image),
        ("in/sage_2.jpg", &jpeg(2)),
        ("in/bay_leaf_1.jpg", &jpeg(3)),
        ("in/other.jpg", &jpeg(4)),
        ("in/.hidden_1.jpg", &jpeg(5)),
    ]);
    let at = |name: &str| root.path().join(name);
    let pattern: Pattern = "{class}_{n}.jpg".parse().unwrap();
    let options = LayoutOptions { label_from: Some(pattern), ..LayoutOptions::default() };
    let named = measured(&Request { options, ..Request::at(at("in")) });
    let expected = [
        ".hidden_1.jpg - -",
        "bay_leaf_1.jpg - bay_leaf",
        "other.jpg - -",
        "sage_1.jpg - sage",
        "sage_2.jpg - sage",
    ];
    assert_eq!(places(&named), expected);
    let Remark::NamesMatched { matched: 3, all: 4, first_not: Some(first_not), .. } =
        &named.collection.remarks[0]
    else {
        panic!("{:?}", named.collection.remarks)
    };
    assert_eq!(first_not.as_str(), "other.jpg");

    let csv = "path,class,split,group,rack\n\
               in/sage_1.jpg,sage,val,g,7\nin/sage_2.jpg,sage,train,g,8\nin/bay_leaf_1.jpg,,,,\n\
               in/gone.jpg,sage,,,\n../out.jpg,sage,,,\nin/sage_1.jpg,bay,,,\n";
    fs::write(at("labels.csv"), csv).unwrap();
    let table = measured(&Request::at(at("labels.csv")));
    let expected = [
        "../out.jpg - sage",
        "in/bay_leaf_1.jpg - -",
        "in/gone.jpg - sage",
        "in/sage_1.jpg validation sage",
        "in/sage_2.jpg train sage",
    ];
    assert_eq!(places(&table), expected);
    let reported = outcomes(&table);
    assert_eq!(reported[2], "in/gone.jpg: Missing");
    assert!(reported[0].starts_with("../out.jpg: Refused"));
    assert_eq!(table.collection.extra, ["rack"]);
    let first = &table.records[3].place;
    assert_eq!((first.group(), &first.extra.as_ref().unwrap().values[0][..]), (Some("g"), "7"));
    let found = findings(&table);
    let conflict = found.iter().find(|finding| finding.code == Code::LabelConflict).unwrap();
    assert_eq!(conflict.images, ["in/sage_1.jpg"]);

    let error =
        collection::open(&Request::at(at("in/other.jpg")), &collection::NoCache, &NoProgress)
            .unwrap_err();
    assert!(matches!(error, Error::RootUnknown { .. }));
}

#[test]
fn several_roots_are_splits_of_one_collection() {
    let root = folder(&[
        ("a/sage/1.jpg", &jpeg(1)),
        ("a/sage/2.jpg", &jpeg(2)),
        ("b/sage/1.jpg", &jpeg(1)),
        ("c/3.jpg", &jpeg(3)),
    ]);
    let roots = [("train", "a"), ("test", "b"), ("later", "c")].map(|(split, folder)| Root {
        split: Some(split.to_owned()),
        path: root.path().join(folder),
    });
    let request = Request { roots: roots.to_vec(), ..Request::default() };
    let catalog = measured(&request);
    let expected = [
        "later/3.jpg later -",
        "test/sage/1.jpg test sage",
        "train/sage/1.jpg train sage",
        "train/sage/2.jpg train sage",
    ];
    assert_eq!(places(&catalog), expected);
    assert_eq!(catalog.collection.splits, ["train", "test", "later"]);
    let found = findings(&catalog);
    assert!(found.iter().any(|finding| finding.code == Code::SplitLeak));
}

#[test]
fn a_split_table_is_laid_over_folders() {
    let root = folder(&[
        ("in/bay/1.jpg", &jpeg(1)),
        ("in/bay/2.jpg", &jpeg(2)),
        ("in/sage/3.jpg", &jpeg(3)),
        ("in/sage/4.jpg", &jpeg(4)),
        (
            "split.csv",
            b"path,class,split,group\nbay/1.jpg,bay,train,g\n./bay/2.jpg,mint,val,g\n\
            bay/2.jpg,bay,test,\nsage/3.jpg,,train,\ngone/5.jpg,bay,train,\n",
        ),
        ("bare.csv", b"path,class\nbay/1.jpg,bay\n"),
    ]);
    let request = Request::at(root.path().join("in"));
    let mut laid = collection::open(&request, &collection::NoCache, &NoProgress).unwrap();
    let columns = Columns::default();
    let error = laid.split_by_table(&root.path().join("bare.csv"), &columns).unwrap_err();
    assert!(
        error.to_string().contains("it has no column \"split\"; it has path, class"),
        "{error}"
    );
    laid.split_by_table(&root.path().join("split.csv"), &columns).unwrap();
    assert_eq!(laid.splits, ["train", "validation"]);
    let expected = [
        Remark::NotInSplitTable(1),
        Remark::SplitRowsUnused(1),
        Remark::SplitRowsContradicted(1),
        Remark::SplitRowsRelabelled(1),
    ];
    assert_eq!(laid.remarks, expected);
    let catalog = catalog::measure(laid, &Options::default(), None, &NoProgress).unwrap();
    let expected = [
        "bay/1.jpg train bay",
        "bay/2.jpg validation bay",
        "sage/3.jpg train sage",
        "sage/4.jpg - sage",
    ];
    assert_eq!(places(&catalog), expected);
    let reported = findings(&catalog);
    let leak = reported.iter().find(|finding| finding.code == Code::GroupLeak).unwrap();
    assert_eq!(leak.images, ["bay/1.jpg", "bay/2.jpg"]);
}

#[test]
fn wishes_about_folders_are_heeded() {
    let root = folder(&[
        ("train/woody/bay/1.jpg", &jpeg(1)),
        ("train/woody/thyme/2.jpg", &jpeg(2)),
        ("tune/soft/dill/3.jpg", &jpeg(3)),
    ]);
    let read = |options: LayoutOptions| {
        places(&measured(&Request { options, ..Request::at(root.path()) }))
    };
    let named = |name: &str| SplitFolders::ByName(vec![("validation".into(), name.into())]);
    let by_hand = LayoutOptions {
        splits: named("tune"),
        class_depth: Some(ClassDepth::Folders(2)),
        ..LayoutOptions::default()
    };
    let expected = [
        "train/woody/bay/1.jpg train bay",
        "train/woody/thyme/2.jpg train thyme",
        "tune/soft/dill/3.jpg validation dill",
    ];
    assert_eq!(read(by_hand), expected);
    let none = LayoutOptions { splits: SplitFolders::None, ..LayoutOptions::default() };
    assert_eq!(read(none)[0], "train/woody/bay/1.jpg - bay");
    let wrong = LayoutOptions { splits: named("tnue"), ..LayoutOptions::default() };
    let request = Request { options: wrong, ..Request::at(root.path()) };
    let error = collection::open(&request, &collection::NoCache, &NoProgress).unwrap_err();
    assert!(matches!(error, Error::NoSplitFolder { ref name, .. } if name == "tnue"));
}

#[test]
fn classes_are_one_in_every_unicode_form() {
    let (composed, decomposed) = ("th\u{e9}", "the\u{301}");
    let files = [format!("train/{composed}/1.jpg"), format!("test/{decomposed}/2.jpg")];
    let image = jpeg(1);
    let files = files.each_ref().map(|path| (path.as_str(), &image[..]));
    let root = folder(&files);
    if Path::new(&root.path().join(files[0].0)).parent() == root.path().join(files[1].0).parent() {
        return eprintln!("skipped: this file system keeps one form only");
    }
    let catalog = measured(&Request::at(root.path()));
    assert_eq!(catalog.collection.classes(), [composed]);
    let found = findings(&catalog);
    assert!(found.iter().any(|finding| finding.code == Code::ClassNamesAlike));
}
