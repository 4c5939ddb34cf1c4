//! The demo collection is what it says it is.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::OnceLock;

use herb_shed::collection::{Arrangement, Plan, plan, write};
use herb_shed::faults::{Fault, Planted, write_table};
use rayon::prelude::*;

/// The bytes of every file, by path.
type Files = BTreeMap<String, Vec<u8>>;

fn painted(plan: &Plan) -> Files {
    plan.files.par_iter().map(|(path, content)| (path.clone(), content.bytes())).collect()
}

/// The collection that `demo` writes, painted once for all tests.
fn demo() -> &'static (Plan, Files) {
    static DEMO: OnceLock<(Plan, Files)> = OnceLock::new();
    DEMO.get_or_init(|| {
        let plan = plan(Arrangement::Classes, 0);
        let files = painted(&plan);
        (plan, files)
    })
}

fn of(plan: &Plan, fault: Fault) -> impl Iterator<Item = &Planted> {
    plan.planted.iter().filter(move |planted| planted.fault == fault)
}

/// Brightness of a JPEG at 16 x 12 places, mean 0 and length 1, or nothing for other files.
fn likeness(file: &[u8]) -> Option<Vec<f32>> {
    if !file.starts_with(b"\xff\xd8") {
        return None;
    }
    let mut decoder = mozjpeg::Decompress::new_mem(file).ok()?;
    decoder.scale(1);
    let mut decoder = decoder.grayscale().ok()?;
    let (width, height) = (decoder.width(), decoder.height());
    let grey: Vec<u8> = decoder.read_scanlines().ok()?;
    let at = |x: usize, y: usize| f32::from(grey[y * height / 12 * width + x * width / 16]);
    let values: Vec<f32> =
        (0..12).flat_map(|y| (0..16).map(move |x| (x, y))).map(|(x, y)| at(x, y)).collect();
    let mean = values.iter().sum::<f32>() / values.len() as f32;
    let length = values.iter().map(|value| (value - mean).powi(2)).sum::<f32>().sqrt();
    Some(values.iter().map(|value| (value - mean) / length.max(1e-3)).collect())
}

#[test]
fn the_collection_has_the_promised_make_up() {
    let (plan, files) = demo();
    assert!((380..=420).contains(&files.len()), "{} files", files.len());
    let bytes: usize = files.values().map(Vec::len).sum();
    assert!(bytes < 15_000_000, "{bytes} bytes");

    let pictures_of = |class: &str| {
        let is_here = |path: &&String| path.starts_with(&format!("{class}/"));
        files.keys().filter(is_here).filter(|path| !path.ends_with(".db")).count()
    };
    // One of them is cut short.
    assert_eq!(pictures_of("nettle") - 1, 130);
    assert_eq!(pictures_of("dill"), 9);
    assert_eq!(pictures_of("Bay "), 3);
    assert!(plan.folders.contains("lovage") && pictures_of("lovage") == 0);
    let endings = |ending: &str| files.keys().filter(|path| path.ends_with(ending)).count();
    assert!(endings(".jpg") > 300 && endings(".png") >= 5 && endings(".webp") >= 3);
}

#[test]
fn every_planted_fault_is_really_there() {
    let (plan, files) = demo();
    let kinds: BTreeSet<Fault> = plan.planted.iter().map(|planted| planted.fault).collect();
    assert_eq!(kinds.len(), 24, "every kind but the leaks between splits");
    for planted in &plan.planted {
        let is_class = plan.folders.contains(&planted.path);
        assert!(is_class || files.contains_key(planted.path.as_str()), "{planted:?}");
        let partner = planted.partner.as_str();
        let known =
            partner.is_empty() || plan.folders.contains(partner) || files.contains_key(partner);
        assert!(known, "{planted:?}");
    }
    for fault in [Fault::SameBytes, Fault::LabelConflict] {
        for planted in of(plan, fault) {
            assert_eq!(
                files[planted.path.as_str()],
                files[planted.partner.as_str()],
                "{planted:?}"
            );
        }
    }
    // All other partners are other files, and every image without one is there once.
    for fault in [
        Fault::SamePixels,
        Fault::Resaved,
        Fault::Resized,
        Fault::Cropped,
        Fault::Mirrored,
        Fault::Turned,
    ] {
        for planted in of(plan, fault) {
            assert_ne!(
                files[planted.path.as_str()],
                files[planted.partner.as_str()],
                "{planted:?}"
            );
        }
    }
    let contents: BTreeSet<&Vec<u8>> = files.values().collect();
    let copies = of(plan, Fault::SameBytes).count() + of(plan, Fault::LabelConflict).count();
    assert_eq!(contents.len() + copies, files.len());
    assert_eq!(of(plan, Fault::Burst).count(), 5);
    assert_eq!(of(plan, Fault::UnlikeClass).count(), 3);
    let file = |fault| &files[of(plan, fault).next().unwrap().path.as_str()];
    assert!(file(Fault::EmptyFile).is_empty());
    assert!(std::str::from_utf8(file(Fault::NotAnImage)).is_ok());
    assert!(file(Fault::WrongExtension).starts_with(b"\x89PNG"));
    assert!(!file(Fault::Truncated).ends_with(b"\xff\xd9"));
}

#[test]
fn no_two_leaves_are_alike_by_accident() {
    let (plan, files) = demo();
    let meant: BTreeSet<(&str, &str)> = plan
        .planted
        .iter()
        .flat_map(|planted| {
            let (a, b) = (planted.path.as_str(), planted.partner.as_str());
            [(a, b), (b, a)]
        })
        .collect();
    let poor: BTreeSet<&str> =
        [Fault::Dark, Fault::WashedOut, Fault::UnlikeClass, Fault::Burst, Fault::SameBytes]
            .into_iter()
            .flat_map(|fault| of(plan, fault).map(|planted| planted.path.as_str()))
            .collect();
    let leaves: Vec<(&str, Vec<f32>)> = files
        .iter()
        .filter(|(path, _)| !poor.contains(path.as_str()))
        .filter_map(|(path, file)| Some((path.as_str(), likeness(file)?)))
        .collect();
    assert!(leaves.len() > 300);
    let mut alike = Vec::new();
    for (index, (a, of_a)) in leaves.iter().enumerate() {
        for (b, of_b) in &leaves[index + 1..] {
            let correlation: f32 = of_a.iter().zip(of_b).map(|(a, b)| a * b).sum();
            if correlation > 0.97 && !meant.contains(&(a, b)) {
                alike.push((*a, *b, correlation));
            }
        }
    }
    assert!(alike.is_empty(), "{alike:?}");
    // The measure does see what is meant to be alike.
    let (a, b) = ("spearmint/spearmint-030.jpg", "spearmint/spearmint-030-mail.jpg");
    let of = |path: &str| &leaves.iter().find(|(other, _)| *other == path).unwrap().1;
    assert!(of(a).iter().zip(of(b)).map(|(a, b)| a * b).sum::<f32>() > 0.97);
}

#[test]
fn splits_leak_only_where_it_is_planted() {
    let plan = plan(Arrangement::Splits, 0);
    let leaks: BTreeSet<&str> =
        of(&plan, Fault::SplitLeak).map(|leak| leak.path.as_str()).collect();
    assert_eq!(leaks.len(), plan.planted.len(), "nothing but leaks");
    assert!(leaks.len() >= 10);
    // What is painted is recognised by its content: only what has the same need be painted.
    let mut by_content: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for (path, content) in &plan.files {
        by_content.entry(format!("{content:?}")).or_default().push(path);
    }
    let copies: Vec<&Vec<&str>> = by_content.values().filter(|paths| paths.len() > 1).collect();
    assert_eq!(copies.len(), 4);
    for paths in copies {
        let bytes = |path: &str| plan.files.iter().find(|(at, _)| *at == path).unwrap().1.bytes();
        assert_eq!(bytes(paths[0]), bytes(paths[1]), "{paths:?}");
        let (split, other) = (paths[0].split('/').next(), paths[1].split('/').next());
        assert!(split != other && paths.iter().any(|path| leaks.contains(path)), "{paths:?}");
    }
    for leak in &plan.planted {
        assert!(leak.partner.starts_with("train/") && !leak.path.starts_with("train/"), "{leak:?}");
    }
    let classes = |split: &str| -> BTreeSet<&str> {
        let paths = plan.files.iter().map(|(path, _)| path);
        paths.filter_map(|path| path.strip_prefix(split)?.split('/').next()).collect()
    };
    assert_eq!(classes("train/").len(), 6);
    assert_eq!(classes("train/"), classes("validation/"));
    assert_eq!(classes("train/"), classes("test/"));
}

#[test]
fn a_seed_paints_the_same_and_another_does_not() {
    let content = |seed: u64| {
        let plan = plan(Arrangement::Classes, seed);
        let sage = plan.files.iter().find(|(path, _)| path.starts_with("sage/sage-001.")).unwrap();
        sage.1.bytes()
    };
    assert_eq!(content(3), content(3));
    assert_ne!(content(3), content(4));
}

#[test]
fn writing_stops_on_request_and_never_overwrites() {
    let workspace = tempfile::tempdir().unwrap();
    let folder = workspace.path().join("collection");
    let mut plan = plan(Arrangement::Classes, 0);
    plan.files.truncate(3);
    write(&folder, &plan, &|| true).unwrap();
    let (path, content) = &plan.files[0];
    assert_eq!(std::fs::read(folder.join(path)).unwrap(), content.bytes());
    let again = write(&folder, &plan, &|| true).unwrap_err();
    assert_eq!(again.kind(), std::io::ErrorKind::AlreadyExists);
    let table = folder.join("planted.csv");
    write_table(&table, &plan.planted).unwrap();
    let table = std::fs::read_to_string(table).unwrap();
    assert!(table.starts_with("path,fault,partner,note\nBay ,class-names-alike,bay,"), "{table}");
    let stopped = write(&workspace.path().join("other"), &plan, &|| false).unwrap_err();
    assert_eq!(stopped.kind(), std::io::ErrorKind::Interrupted);
}
