//! Listing and measuring real folders.

mod support;

use std::fs;
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

use sieve_core::catalog::{self, Catalog, Options};
use sieve_core::collection::{self, Collection, EntryKind, Remark, Request};
use sieve_core::files::RelPath;
use sieve_core::progress::NoProgress;
use sieve_core::reading::{ReadError, ReadLimits};
use sieve_core::record::{Outcome, Reason};
use sieve_core::{Error, sampling};
use support::{StopsAfter, folder, jpeg, outcomes};

fn opened(root: &Path, follow_links: bool) -> Collection {
    collection::open(
        &Request { follow_links, ..Request::at(root) },
        &collection::NoCache,
        &NoProgress,
    )
    .unwrap()
}

fn measured(root: &Path, follow_links: bool) -> Catalog {
    catalog::measure(opened(root, follow_links), &Options::default(), None, &NoProgress).unwrap()
}

#[test]
fn files_are_told_apart_by_content_and_name() {
    let image = jpeg(1);
    let root = folder(&[
        ("sage/a.jpg", &image),
        ("sage/b.txt", b"notes"),
        ("sage/c.jpg", b"notes"),
        ("sage/d.jpg", b""),
        ("sage/e.dat", b""),
        ("sage/f", &image),
        ("sage/.DS_Store", b"\0\0\0\x01Bud1"),
        ("sage/g.jpg~", &image),
        (".cache/h.jpg", &image),
        ("sage/i.jpg", &image[..image.len() / 2]),
        ("sage/j.heic", b"\0\0\0\x18ftypheic...."),
        ("split.csv", b"path,class,split,group,digest\n"),
        ("sage/split.csv", b"path,class,split,group,digest\n"),
    ]);
    let catalog = measured(root.path(), false);
    let expected = [
        ".cache/h.jpg: stray",
        "sage/.DS_Store: stray",
        "sage/a.jpg: image",
        "sage/b.txt: stray",
        "sage/c.jpg: NotAnImage",
        "sage/d.jpg: Empty",
        "sage/e.dat: stray",
        "sage/f: image",
        "sage/g.jpg~: stray",
        "sage/i.jpg: Truncated",
        "sage/j.heic: Unsupported",
        "sage/split.csv: GeneratedTable",
        "split.csv: GeneratedTable",
    ];
    assert_eq!(outcomes(&catalog), expected);
    assert_eq!(catalog.collection.classes(), ["sage"]);
    assert_eq!(catalog.records[2].size_bytes, image.len() as u64);
}

#[test]
fn splits_are_read_from_their_folders() {
    let image = jpeg(1);
    let root = folder(&[
        ("training/sage/a.jpg", &image),
        ("val/sage/b.jpg", &image),
        ("val/dill/", b""),
        ("test/sage/c.jpg", &image),
        ("test/d.jpg", &image),
        ("later/e.jpg", &image),
        ("notes/f.txt", b"notes"),
    ]);
    let collection = opened(root.path(), false);
    assert_eq!(collection.layout, "split/class/image");
    assert_eq!(collection.splits, ["train", "validation", "test", "later"]);
    assert_eq!(collection.classes(), ["dill", "sage"]);
    let places: Vec<String> = collection
        .entries
        .iter()
        .map(|entry| {
            let split = entry.place.split.as_deref().unwrap_or("-");
            format!("{} {split} {}", entry.path, entry.place.class().unwrap_or("-"))
        })
        .collect();
    let expected = [
        "later/e.jpg later -",
        "notes/f.txt - -",
        "test/d.jpg test -",
        "test/sage/c.jpg test sage",
        "training/sage/a.jpg train sage",
        "val/sage/b.jpg validation sage",
    ];
    assert_eq!(places, expected);
}

#[cfg(unix)]
#[test]
fn links_to_other_parts_of_a_collection_are_told() {
    use std::os::unix::fs::symlink;
    let root = folder(&[("sage/a.jpg", &jpeg(1)), ("bay/b.jpg", &jpeg(2))]);
    symlink("sage", root.path().join("salvia")).unwrap();
    symlink("../sage/a.jpg", root.path().join("bay/c.jpg")).unwrap();
    assert_eq!(measured(root.path(), false).collection.remarks, []);
    let link = |link: &str, target: &str| Remark::LinkInside {
        link: RelPath::new(link.as_ref()),
        target: RelPath::new(target.as_ref()),
    };
    let reported = measured(root.path(), true).collection.remarks;
    assert_eq!(reported.len(), 2);
    assert!(reported.contains(&link("bay/c.jpg", "sage/a.jpg")));
    assert!(reported.contains(&link("salvia", "sage")));
}

#[cfg(unix)]
#[test]
fn links_and_pipes_never_stop_the_walk() {
    use std::os::unix::fs::symlink;
    use std::os::unix::net::UnixListener;
    let image = jpeg(1);
    let root = folder(&[("sage/a.jpg", &image)]);
    let elsewhere = folder(&[("b.jpg", &jpeg(2)), ("deep/c.jpg", &jpeg(3))]);
    let sage = root.path().join("sage");
    symlink("../sage", sage.join("circle")).unwrap();
    symlink("nowhere", sage.join("broken.jpg")).unwrap();
    symlink(elsewhere.path().join("b.jpg"), sage.join("b.jpg")).unwrap();
    symlink(elsewhere.path().join("deep"), sage.join("deep")).unwrap();
    let _socket = UnixListener::bind(sage.join("socket.jpg")).unwrap();

    symlink("itself", sage.join("itself")).unwrap();
    let catalog = measured(root.path(), false);
    let expected = [
        "sage/a.jpg: image",
        "sage/b.jpg: Link",
        "sage/broken.jpg: BrokenLink",
        "sage/circle: Link",
        "sage/deep: Link",
        "sage/itself: BrokenLink",
        "sage/socket.jpg: Special",
    ];
    assert_eq!(outcomes(&catalog), expected);

    let catalog = measured(root.path(), true);
    let expected = [
        "sage/a.jpg: image",
        "sage/b.jpg: image",
        "sage/broken.jpg: BrokenLink",
        "sage/circle: LinkLoop",
        "sage/deep/c.jpg: image",
        "sage/itself: BrokenLink",
        "sage/socket.jpg: Special",
    ];
    assert_eq!(outcomes(&catalog), expected);
}

#[cfg(unix)]
#[test]
fn names_that_are_not_utf8_are_kept() {
    use std::ffi::OsStr;
    use std::os::unix::ffi::OsStrExt;
    let root = folder(&[("sage/a.jpg", &jpeg(1))]);
    let name = OsStr::from_bytes(b"sage/b\xff\xc3.jpg");
    if fs::write(root.path().join(name), jpeg(2)).is_err() {
        return eprintln!("skipped: this file system takes UTF-8 names only");
    }
    let catalog = measured(root.path(), false);
    assert_eq!(outcomes(&catalog), ["sage/a.jpg: image", "sage/b\\xff\\xc3.jpg: image"]);
    assert_eq!(catalog.records[0].path.undecodable_bytes(), None);
    assert_eq!(catalog.records[1].path.undecodable_bytes(), Some(&b"sage/b\xff\xc3.jpg"[..]));
    assert_eq!(catalog.records[1].path.extension().as_deref(), Some("jpg"));
}

#[test]
fn a_root_that_cannot_be_listed_is_an_error() {
    let root = folder(&[("file.txt", b"x")]);
    let open = |name: &str| {
        collection::open(&Request::at(root.path().join(name)), &collection::NoCache, &NoProgress)
            .unwrap_err()
    };
    assert!(matches!(open("nothing"), Error::RootMissing { .. }));
    assert!(matches!(open("file.txt"), Error::NoColumn { needed: "class", .. }));
}

#[test]
fn limits_on_files_are_kept_without_opening_them() {
    let root = folder(&[("sage/a.jpg", &jpeg(1)), ("sage/b.bin", &[1; 9000])]);
    let collection = opened(root.path(), false);
    let limits = ReadLimits { file_bytes: 100, ..ReadLimits::default() };
    let options = Options { limits, recheck: false };
    let catalog = catalog::measure(collection, &options, None, &NoProgress).unwrap();
    assert_eq!(outcomes(&catalog), ["sage/a.jpg: OverLimit", "sage/b.bin: stray"]);
}

#[test]
fn a_file_that_vanishes_is_told_and_the_others_are_read() {
    let root = folder(&[("sage/a.jpg", &jpeg(1)), ("sage/b.jpg", &jpeg(2))]);
    let collection = opened(root.path(), false);
    fs::remove_file(root.path().join("sage/a.jpg")).unwrap();
    let catalog = catalog::measure(collection, &Options::default(), None, &NoProgress).unwrap();
    assert_eq!(outcomes(&catalog), ["sage/a.jpg: Unreadable", "sage/b.jpg: image"]);
    let Outcome::SetAside(Reason::ReadError(ReadError::Unreadable(reason))) =
        &catalog.records[0].outcome
    else {
        panic!("told above")
    };
    assert!(!reason.contains("os error"), "{reason}");
}

#[test]
fn work_stops_when_it_is_asked_to() {
    let image = jpeg(1);
    let names: Vec<String> = (0..50).map(|n| format!("sage/{n}.jpg")).collect();
    let files: Vec<(&str, &[u8])> = names.iter().map(|name| (name.as_str(), &image[..])).collect();
    let root = folder(&files);
    let stops = || StopsAfter(10, AtomicU64::new(0));
    let request = Request::at(root.path());
    assert!(matches!(
        collection::open(&request, &collection::NoCache, &stops()),
        Err(Error::Interrupted)
    ));
    let collection = collection::open(&request, &collection::NoCache, &NoProgress).unwrap();
    let progress = stops();
    let measured = catalog::measure(collection, &Options::default(), None, &progress);
    assert!(matches!(measured, Err(Error::Interrupted)));
    assert!(progress.1.load(Ordering::Relaxed) < 50);
}

#[test]
fn samples_are_shuffled_by_seed_and_path() {
    let image = jpeg(1);
    let mut files: Vec<(String, &[u8])> = Vec::new();
    for class in ["sage", "dill"] {
        files.extend((0..30).map(|n| (format!("train/{class}/{n:02}.jpg"), &image[..])));
    }
    files.push(("test/sage/x.jpg".into(), &image));
    files.push(("train/sage/.hidden.jpg".into(), &image));
    let files: Vec<(&str, &[u8])> =
        files.iter().map(|(path, file)| (path.as_str(), *file)).collect();
    let root = folder(&files);
    let collection = opened(root.path(), false);
    let paths = |split, seed| {
        let classes = sampling::shuffled(&collection, split, seed);
        let sage = classes["sage"].iter().map(|entry| entry.path.to_string()).collect::<Vec<_>>();
        assert!(classes["sage"].iter().all(|e| matches!(e.kind, EntryKind::File { .. })));
        (classes.len(), sage)
    };
    let (classes, train) = paths(Some("train"), 1);
    assert_eq!((classes, train.len()), (2, 30));
    assert!(!train.is_sorted(), "in random order");
    assert_eq!(paths(Some("train"), 1).1, train);
    assert_ne!(paths(Some("train"), 2).1, train);
    assert_eq!(paths(None, 1).1.len(), 31);
    assert_eq!(sampling::spread(3, 0), [0; 0]);
    assert_eq!(sampling::spread(0, 3), [0, 0, 0]);
}
