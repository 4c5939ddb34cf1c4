//! Twins between splits, what they do to a score, what to remove; structure and drift.

use proptest::prelude::*;

use super::*;
use crate::catalog::Catalog;
use crate::duplicates::Kind;
use crate::tests::{catalog, change, found, image};

/// Images of both classes in three splits: 60, 20 and 20 of each.
fn split() -> Vec<crate::record::Record> {
    let mut records = Vec::new();
    for (split, number) in [("train", 60), ("validation", 20), ("test", 20)] {
        for class in ["bay", "sage"] {
            let path = |at: usize| format!("{split}/{class}/{:03}.jpg", at * 7 % 100);
            for at in 0..number {
                records.push(image(&path(at), records.len() as u64));
            }
        }
    }
    records
}

fn of<'a>(
    catalog: &'a Catalog,
    groups: &[(Kind, &[&str])],
    protect: &[&str],
) -> (DuplicateReport<'a>, Leakage) {
    let found = found(catalog, groups);
    let protect: Vec<String> = protect.iter().map(|name| (*name).to_owned()).collect();
    let leakage = leakage(&catalog.collection, &found, &FindingLimits::default(), &protect);
    (found, leakage)
}

const LEAKS: [(Kind, &[&str]); 4] = [
    (Kind::SameBytes, &["train/bay/000.jpg", "test/bay/000.jpg"]),
    (
        Kind::Rotated,
        &[
            "train/sage/000.jpg",
            "train/sage/007.jpg",
            "validation/sage/000.jpg",
            "test/sage/007.jpg",
        ],
    ),
    (Kind::Burst, &["train/bay/014.jpg", "test/bay/014.jpg", "test/bay/021.jpg"]),
    (Kind::LookAlike, &["train/bay/021.jpg", "test/bay/028.jpg"]),
];

#[test]
fn matches_are_counted_by_split_class_and_reason() {
    let catalog = catalog(split(), &[]);
    let (_, leakage) = of(&catalog, &LEAKS, &[]);
    let reported: Vec<String> = leakage
        .split_pairs
        .iter()
        .filter(|summary| summary.is_judge)
        .map(|summary| {
            format!(
                "{} in {}: {} of {}",
                summary.split, summary.within, summary.matched, summary.images
            )
        })
        .collect();
    let expected =
        ["test in train: 4 of 40", "test in validation: 1 of 40", "validation in train: 1 of 40"];
    assert_eq!(reported, expected);
    let test = &leakage.split_pairs[0];
    assert_eq!((test.copies, test.bursts()), (2, 2));
    let classes: Vec<_> =
        test.classes.iter().map(|c| (c.class.as_str(), c.matched, c.images)).collect();
    assert_eq!(classes, [("bay", 3, 20), ("sage", 1, 20)]);
    assert_eq!((test.share(), test.bound()), (0.1, 0.1));
    // Right on all four matches and on 32 of the 36 others is 36 of 40.
    assert!((test.least_true(0.9).unwrap() - 32.0 / 36.0).abs() < 1e-12);
    assert!(
        leakage
            .cross_split_pairs
            .iter()
            .all(|pair| pair.is_direct && pair.reason != PairReason::Alike(Kind::LookAlike))
    );
}

#[test]
fn removals_leave_no_match_and_spare_what_is_protected() {
    let catalog = catalog(split(), &[]);
    let check = |protect: &[&str]| {
        let (found, leakage) = of(&catalog, &LEAKS, protect);
        let removed: Vec<u32> = leakage.removals.iter().map(|removal| removal.image).collect();
        let left = leakage
            .cross_split_pairs
            .iter()
            .filter(|pair| !removed.contains(&pair.a) && !removed.contains(&pair.b));
        assert_eq!(left.count(), leakage.kept);
        let paths = removed.iter().map(|&at| found.images[at as usize].record.path.to_string());
        (paths.collect::<Vec<_>>(), leakage.kept)
    };
    let usual = [
        "train/bay/000.jpg",
        "train/bay/014.jpg",
        "train/sage/000.jpg",
        "train/sage/007.jpg",
        "validation/sage/000.jpg",
    ];
    assert_eq!(check(&[]), (usual.map(str::to_owned).to_vec(), 0));
    let (removed, kept) = check(&["train"]);
    assert!(
        kept == 0 && removed.len() == 5 && removed.iter().all(|path| !path.starts_with("train"))
    );
    assert_eq!(check(&["train", "validation", "test"]), (vec![], leaks_in(&catalog)));
}

fn leaks_in(catalog: &Catalog) -> usize {
    of(catalog, &LEAKS, &[]).1.cross_split_pairs.len()
}

#[test]
fn classes_that_splits_lack_move_the_numbers_of_the_others() {
    let paths = [
        "train/02 bay/a.jpg",
        "train/10 dill/a.jpg",
        "train/30 sage/a.jpg",
        "train/40 thyme/a.jpg",
        "test/02 bay/b.jpg",
        "test/30 sage/b.jpg",
        "test/41 thyme/b.jpg",
    ];
    let records = (0..).zip(paths).map(|(at, path)| image(path, at)).collect();
    let catalog = catalog(records, &[]);
    let (_, leakage) = of(&catalog, &[], &[]);
    let missing: Vec<_> =
        leakage.missing.iter().map(|one| (one.class.as_str(), one.missing[0].as_str())).collect();
    assert_eq!(missing, [("10 dill", "test"), ("40 thyme", "test"), ("41 thyme", "train")]);
    let [index] = &leakage.index[..] else { panic!("{:?}", leakage.index) };
    assert_eq!(index.moved, [("30 sage".to_owned(), 2, 1)]);
    assert_eq!(index.renumbered, [("40 thyme".to_owned(), "41 thyme".to_owned())]);
}

/// Quantities that drift, and whether the list of files was cut.
fn drift(
    change_one: fn(&mut crate::measuring::Measured, &str, usize),
) -> (Vec<&'static str>, bool) {
    let mut records = split();
    let paths: Vec<String> = records.iter().map(|record| record.path.to_string()).collect();
    for (at, path) in paths.iter().enumerate() {
        let measured = change(&mut records, path);
        measured.measures.brightness = 0.3 + (at * 37 % 101) as f32 / 300.0;
        change_one(measured, path, at);
    }
    let catalog = catalog(records, &[]);
    let (_, leakage) = of(&catalog, &[], &[]);
    let found = leakage.drift.iter().filter(|drift| drift.is_found);
    (
        found.map(|drift| drift.quantity.name()).collect(),
        leakage.order.is_some_and(|order| order.is_cut),
    )
}

#[test]
fn splits_that_differ_are_told_and_shuffled_ones_are_not() {
    assert_eq!(drift(|_, _, _| {}), (vec![], false));
    let camera = drift(|measured, path, at| {
        let is_new = path.starts_with("test") && at % 3 > 0;
        measured.facts.camera = Some(if is_new { "Rack" } else { "Bench" }.into());
    });
    assert_eq!(camera, (vec!["camera"], false));
    let light = drift(|measured, path, _| {
        if path.starts_with("test") {
            measured.measures.brightness += 0.2;
        }
    });
    assert_eq!(light, (vec!["brightness"], false));
}

#[test]
fn a_list_that_was_cut_is_told() {
    let mut records = Vec::new();
    for (split, numbers) in [("train", 0..70), ("test", 70..100)] {
        for class in ["bay", "sage"] {
            let path = |number| format!("{split}/{class}/leaf {number}.jpg");
            records.extend(numbers.clone().map(|number| image(&path(number), number)));
        }
    }
    let catalog = catalog(records, &[]);
    let order = of(&catalog, &[], &[]).1.order.unwrap();
    assert!(order.is_cut && order.runs == 4 && order.p < 1e-9, "{order:?}");
}

proptest! {
    /// Whatever is a match of what: nothing that is left has a match in another split, unless both must
    /// stay; and what is protected stays.
    #[test]
    fn removals_suffice(
        sets in prop::collection::vec((0usize..200, 0usize..200, 0usize..200), 1..30),
        protect in prop::sample::subsequence(vec!["train", "validation", "test"], 0..=3),
    ) {
        let catalog = catalog(split(), &[]);
        let paths: Vec<String> = catalog.records.iter().map(|record| record.path.to_string()).collect();
        let mut seen = std::collections::HashSet::new();
        let mut groups: Vec<Vec<&str>> = Vec::new();
        for (a, b, c) in sets {
            let fresh = |at: &usize| seen.insert(*at);
            let members: Vec<usize> = [a, b, c].into_iter().filter(fresh).collect();
            if members.len() > 1 {
                groups.push(members.iter().map(|&at| paths[at].as_str()).collect());
            }
        }
        let groups: Vec<(Kind, &[&str])> =
            groups.iter().map(|group| (Kind::Near, group.as_slice())).collect();
        let (found, leakage) = of(&catalog, &groups, &protect);
        let split = |at: u32| found.images[at as usize].record.split().unwrap();
        let gone: Vec<u32> = leakage.removals.iter().map(|removal| removal.image).collect();
        prop_assert!(gone.iter().all(|&at| !protect.contains(&split(at))));
        for pair in &leakage.cross_split_pairs {
            let stay = !gone.contains(&pair.a) && !gone.contains(&pair.b);
            let may = protect.contains(&split(pair.a)) && protect.contains(&split(pair.b));
            prop_assert_eq!(stay, may, "{:?}", pair);
        }
        for removal in &leakage.removals {
            prop_assert!(!gone.contains(&removal.cause), "what it is removed for stays");
        }
        // Every span counts what pairing by pairing gives.
        for summary in &leakage.split_pairs {
            let of_span = |at: u32, other: u32| split(at) == summary.split && split(other) == summary.within;
            let mut members: Vec<u32> = Vec::new();
            for pair in &leakage.cross_split_pairs {
                members.extend(Some(pair.a).filter(|_| of_span(pair.a, pair.b)));
                members.extend(Some(pair.b).filter(|_| of_span(pair.b, pair.a)));
            }
            members.sort_unstable();
            members.dedup();
            prop_assert_eq!(summary.matched, members.len() as u64);
            prop_assert_eq!(summary.classes.iter().map(|class| class.matched).sum::<u64>(), summary.matched);
        }
    }
}

#[test]
fn members_that_only_a_third_picture_joins_match_too() {
    let catalog = catalog(split(), &[]);
    let paths = ["train/bay/000.jpg", "train/bay/007.jpg", "test/bay/000.jpg"];
    let mut found = found(&catalog, &[(Kind::Cropped, &paths)]);
    // The first goes with the second only, and that with the image in the other split.
    let last = found.groups[0].members[2].image;
    let second = found.groups[0].members[1].image;
    found.pairs.retain(|pair| [pair.a, pair.b].contains(&second));
    let leakage = leakage(&catalog.collection, &found, &FindingLimits::default(), &[]);
    let direct: Vec<bool> = leakage.cross_split_pairs.iter().map(|pair| pair.is_direct).collect();
    assert_eq!(direct.iter().filter(|is_direct| **is_direct).count(), 1);
    assert_eq!(direct.len(), 2, "{:?}", leakage.cross_split_pairs);
    assert!(leakage.cross_split_pairs.iter().all(|pair| pair.a == last || pair.b == last));
    assert_eq!(leakage.removals.len(), 2);
}

#[test]
fn drift_says_where_it_is_largest() {
    let mut records = split();
    let paths: Vec<String> = records.iter().map(|record| record.path.to_string()).collect();
    for (at, path) in paths.iter().enumerate() {
        let measured = change(&mut records, path);
        let day = if path.starts_with("test") { 20 + at % 2 } else { 1 + at % 9 };
        measured.facts.captured = Some(format!("2026-07-{day:02}T08:00:00").into());
        // As many are below one half in each split, and a third is far above it in one.
        let is_bright = path.starts_with("test") && at % 3 == 0;
        measured.measures.saturation = if is_bright { 0.9 } else { 0.5 };
    }
    let catalog = catalog(records, &[]);
    let (found, leakage) = of(&catalog, &[], &[]);
    let of = |name: &str| leakage.drift.iter().find(|one| one.quantity.name() == name).unwrap();
    let day = of("capture day");
    let most = day.most.as_ref().unwrap();
    assert_eq!((most.high.0.as_str(), most.high.1, most.low.1), ("test", 0.5, 0.0));
    assert!(day.is_found && !day.is_chance && day.effect > 0.6 && day.p_corrected >= day.p);
    let apart: Vec<f64> = day.pairs.iter().map(|pair| pair.total_variation).collect();
    assert!(apart[0] < 0.4 && apart[1] == 1.0 && apart[2] == 1.0, "{apart:?}");
    let time = of("capture time");
    assert!(time.is_found && time.medians[0].1 < time.medians[2].1);
    let classes = of("class shares");
    assert_eq!((classes.statistic, classes.is_chance, classes.is_found), (0.0, true, false));
    let message: Vec<String> = crate::checks::leakage(&leakage, &found)
        .into_iter()
        .map(|finding| finding.message)
        .collect();
    let expected = "capture time: median 2026-07-05 08:00 in train, 2026-07-05 08:00 in validation, \
                    2026-07-20 20:00 in test (effect 0.";
    assert!(message.iter().any(|message| message.starts_with(expected)), "{message:?}");
    let saturation = of("saturation");
    assert!(saturation.medians.iter().all(|(_, median)| *median == 0.5), "{saturation:?}");
    let expected = "saturation: over 0.5 is 32% of test and 0% of train";
    assert!(message.iter().any(|message| message.starts_with(expected)), "{message:?}");
}
