//! What a split promises, on made-up collections.

use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;

use super::quota::{ClassNeed, largest_remainder, quotas};
use super::{Assignment, Request};
use crate::catalog::Catalog;
use crate::collection::ExtraColumns;
use crate::duplicates::Kind;
use crate::measuring::Digest;
use crate::record::Record;
use crate::tests::{catalog, classes, found, image, stray};

fn request(parts: &str, seed: u64) -> Request {
    Request { parts: parts.parse().unwrap(), seed }
}

/// The split of a collection in which nothing goes together but files of the same bytes.
fn assign<'a>(catalog: &'a Catalog, request: &Request) -> Assignment<'a> {
    let mut by_digest: BTreeMap<Digest, Vec<&str>> = BTreeMap::new();
    for record in &catalog.records {
        if let Some(measured) = record.image() {
            by_digest.entry(measured.digest).or_default().push(record.path.as_str());
        }
    }
    let same = by_digest.values().map(|paths| (Kind::SameBytes, paths.as_slice()));
    super::assign(catalog, &found(catalog, &same.collect::<Vec<_>>()), request)
}

#[test]
fn what_goes_together_is_in_one_part_in_whatever_way() {
    let mut records = classes(&[("bay", 60)]);
    for at in [5, 6] {
        let extra = ExtraColumns { group: Some("rack 3".into()), values: Vec::new() };
        records[at].place.extra = Some(Box::new(extra));
    }
    let catalog = catalog(records, &[]);
    let path = |at: usize| catalog.records[at].path.as_str();
    let groups: [(Kind, &[&str]); 4] = [
        (Kind::Framed, &[path(1), path(2)]),
        (Kind::Burst, &[path(2), path(3)]),
        (Kind::Turned, &[path(3), path(5)]),
        (Kind::Variant, &[path(10), path(11)]),
    ];
    let found = found(&catalog, &groups);
    let mut are_variants_apart = false;
    for seed in 0..40 {
        let assignment = super::assign(&catalog, &found, &request(USUAL, seed));
        let group = |at: usize| assignment.images[at].group;
        let part = |at: usize| assignment.images[at].part;
        assert!([2, 3, 5, 6].iter().all(|&at| (group(at), part(at)) == (group(1), part(1))));
        let least = [1, 2, 3, 5, 6].map(|at| assignment.images[at].digest).into_iter().min();
        assert_eq!(Some(group(1).0), least);
        assert!(group(10) != group(11));
        are_variants_apart |= part(10) != part(11);
    }
    assert!(are_variants_apart);
}

const USUAL: &str = "train=70,validation=15,test=15";

/// The part of each path.
fn parts_of(assignment: &Assignment<'_>) -> BTreeMap<String, usize> {
    assignment.images.iter().map(|image| (image.record.path.to_string(), image.part)).collect()
}

fn totals(assignment: &Assignment<'_>) -> Vec<u64> {
    let parts = assignment.target.len();
    (0..parts).map(|part| assignment.classes.iter().map(|class| class.got[part]).sum()).collect()
}

#[test]
fn classes_are_divided_by_largest_remainder() {
    let catalog = catalog(classes(&[("bay", 20), ("dill", 10), ("sage", 7)]), &["lovage"]);
    let assignment = assign(&catalog, &request(USUAL, 7));
    // 37 pictures: 25.9, 5.55 and 5.55 become 26, 6 and 5.
    assert_eq!(assignment.target, [26, 6, 5]);
    assert_eq!(totals(&assignment), [26, 6, 5]);
    let got: Vec<(&str, &[u64])> =
        assignment.classes.iter().map(|class| (class.class.as_str(), &class.got[..])).collect();
    assert_eq!(got, [("bay", &[14, 3, 3][..]), ("dill", &[7, 2, 1]), ("sage", &[5, 1, 1])]);
}

#[test]
fn every_class_that_can_be_in_every_part_is() {
    // At 90 and 5 and 5 none of these would have a picture to test on.
    let sizes: Vec<(String, u64)> = (0..9).map(|n| (format!("herb-{n}"), n + 1)).collect();
    let sizes: Vec<(&str, u64)> = sizes.iter().map(|(name, n)| (name.as_str(), *n)).collect();
    let catalog = catalog(classes(&sizes), &[]);
    let assignment = assign(&catalog, &request("train=90,validation=5,test=5", 0));
    for class in &assignment.classes {
        assert_eq!(class.got.iter().sum::<u64>(), class.images);
        let expected = if class.images >= 3 { 3 } else { class.images };
        let filled = class.got.iter().filter(|&&got| got > 0).count() as u64;
        assert!(filled >= expected.min(1), "{class:?}");
        assert!(class.images < 3 || filled == 3, "{class:?}");
    }
    assert_ne!(totals(&assignment), assignment.target, "small classes come before the shares");
}

#[test]
fn what_takes_no_part_is_said() {
    let mut records = classes(&[("bay", 3), ("sage", 3)]);
    records.extend([image("loose.jpg", 900), stray("bay/notes.txt")]);
    let catalog = catalog(records, &[]);
    let assignment = assign(&catalog, &request("train=50,test=50", 0));
    let left_out: Vec<String> = assignment
        .left_out
        .iter()
        .map(|(record, why)| format!("{} {why:?}", record.path))
        .collect();
    assert_eq!(left_out, ["bay/notes.txt SetAside", "loose.jpg NoClass"]);
    assert_eq!(assignment.images.len(), 6);
}

#[test]
fn the_seed_decides_and_names_do_not() {
    let sizes = [("bay", 40), ("sage", 60)];
    let first = catalog(classes(&sizes), &[]);
    let parts = |seed| parts_of(&assign(&first, &request(USUAL, seed)));
    assert_eq!(parts(7), parts(7));
    let moved = parts(7).iter().filter(|(path, part)| parts(8)[*path] != **part).count();
    assert!(moved > 20, "another seed deals anew, not {moved} of 100");

    // The same contents under other names and in another order: each goes where it went.
    let by_content = |records: Vec<Record>| {
        let catalog = catalog(records, &[]);
        let assignment = assign(&catalog, &request(USUAL, 7));
        assignment.images.iter().map(|image| (image.digest, image.part)).collect::<BTreeMap<_, _>>()
    };
    let mut renamed = Vec::new();
    for (number, record) in classes(&sizes).into_iter().enumerate() {
        let class = record.class().unwrap();
        renamed.push(image(&format!("{class}/other-{:03}.jpg", 999 - number), number as u64 + 1));
    }
    assert_eq!(by_content(classes(&sizes)), by_content(renamed));
}

#[test]
fn a_group_lands_anywhere_in_proportion() {
    // One pair of copies among 100 pictures, over many seeds: where it goes must not be foregone.
    let mut records = classes(&[("bay", 98)]);
    records.extend([image("bay/x.jpg", 5000), image("bay/y.jpg", 5000)]);
    let catalog = catalog(records, &[]);
    let mut counts = [0; 3];
    for seed in 0..400 {
        let parts = parts_of(&assign(&catalog, &request(USUAL, seed)));
        assert_eq!(parts["bay/x.jpg"], parts["bay/y.jpg"]);
        counts[parts["bay/x.jpg"]] += 1;
    }
    // 280, 60 and 60 are expected; five standard deviations of 8 are granted.
    assert!((235..=325).contains(&counts[0]), "{counts:?}");
    assert!((20..=100).contains(&counts[1]) && (20..=100).contains(&counts[2]), "{counts:?}");
}

/// All ways to divide `images` over `parts` with at least `least` each.
fn divisions(images: u64, least: &[u64]) -> Vec<Vec<u64>> {
    let Some((&first, rest)) = least.split_first() else { return Vec::new() };
    if rest.is_empty() {
        return if images >= first { vec![vec![images]] } else { Vec::new() };
    }
    let needed: u64 = rest.iter().sum();
    (first..=images.saturating_sub(needed))
        .flat_map(|here| {
            let deeper = divisions(images - here, rest).into_iter();
            deeper.map(move |tail| [vec![here], tail].concat())
        })
        .collect()
}

/// The squared differences from the exact shares, times the squared sum of the weights.
fn cost(classes: &[ClassNeed], weights: &[u64], got: &[Vec<u64>]) -> i128 {
    let sum: u64 = weights.iter().sum();
    let cells = classes.iter().zip(got).flat_map(|(class, got)| {
        got.iter().zip(weights).map(|(&got, &weight)| {
            i128::from(got) * i128::from(sum) - i128::from(class.images) * i128::from(weight)
        })
    });
    cells.map(|difference| difference * difference).sum()
}

/// The least cost of any division that has the right totals, by trying all of them.
fn least_cost(classes: &[ClassNeed], weights: &[u64]) -> Option<i128> {
    let all: u64 = classes.iter().map(|class| class.images).sum();
    let target = largest_remainder(all, weights);
    let mut tables: Vec<Vec<Vec<u64>>> = vec![Vec::new()];
    for class in classes {
        let rows = divisions(class.images, &class.least);
        tables = tables
            .into_iter()
            .flat_map(|table| {
                rows.iter().map(move |row| [table.clone(), vec![row.clone()]].concat())
            })
            .collect();
    }
    let right = tables.into_iter().filter(|table| {
        (0..weights.len())
            .all(|part| table.iter().map(|row| row[part]).sum::<u64>() == target[part])
    });
    right.map(|table| cost(classes, weights, &table)).min()
}

/// Three classes of a few pictures each, with a few that must go to certain parts.
#[test]
fn thousands_of_classes_are_divided_in_no_time() {
    let class = ClassNeed { images: 9, least: vec![1, 1, 1] };
    let (classes, weights) = (vec![class; 11_000], [70, 15, 15]);
    let began = std::time::Instant::now();
    let got = quotas(&classes, &weights);
    // Far above what it takes, far below what it takes when each move looks at every class.
    assert!(began.elapsed().as_secs() < 10, "{:?}", began.elapsed());
    let total = |part: usize| got.iter().map(|got| got[part]).sum::<u64>();
    assert_eq!([0, 1, 2].map(total).to_vec(), largest_remainder(99_000, &weights));
    assert!(got.iter().all(|got| got.iter().sum::<u64>() == 9));
}

fn needs() -> impl Strategy<Value = Vec<ClassNeed>> {
    let class = (0u64..7, proptest::collection::vec(0u64..3, 3)).prop_map(|(images, least)| {
        let mut left = images;
        let fitted = least.into_iter().map(|least| {
            let least = least.min(left);
            left -= least;
            least
        });
        ClassNeed { least: fitted.collect(), images }
    });
    proptest::collection::vec(class, 1..4)
}

proptest! {
    #[test]
    fn quotas_keep_both_margins(classes in needs(), weights in proptest::collection::vec(1u64..20, 3)) {
        let got = quotas(&classes, &weights);
        for (class, got) in classes.iter().zip(&got) {
            prop_assert_eq!(got.iter().sum::<u64>(), class.images);
            prop_assert!(got.iter().zip(&class.least).all(|(got, least)| got >= least));
        }
        // Where the totals can be right at all they are, and nothing nearer was to be had.
        if let Some(least) = least_cost(&classes, &weights) {
            let all = classes.iter().map(|class| class.images).sum();
            let target = largest_remainder(all, &weights);
            for part in 0..3 {
                prop_assert_eq!(got.iter().map(|got| got[part]).sum::<u64>(), target[part]);
            }
            prop_assert_eq!(cost(&classes, &weights, &got), least);
        }
    }

    #[test]
    fn splits_keep_what_they_promise(
        // Contents are few, so that copies within and across classes are many.
        files in proptest::collection::vec((0usize..4, 0u64..60), 1..120),
        seed in any::<u64>(), parts in 2usize..5,
    ) {
        let records = files.iter().enumerate().map(|(number, (class, content))| {
            image(&format!("herb-{class}/{number:03}.jpg"), *content)
        });
        let catalog = catalog(records.collect(), &[]);
        let text = ["a=50,b=50", "a=70,b=15,c=15", "a=.4,b=.3,c=.2,d=.1"][parts - 2];
        let assignment = assign(&catalog, &request(text, seed));

        prop_assert_eq!(assignment.images.len(), files.len());
        let mut parts_of_content: BTreeMap<_, BTreeSet<usize>> = BTreeMap::new();
        for image in &assignment.images {
            parts_of_content.entry(image.digest).or_default().insert(image.part);
        }
        prop_assert!(parts_of_content.values().all(|parts| parts.len() == 1), "copies stay together");
        for class in &assignment.classes {
            let here = assignment.images.iter().filter(|image| image.class == class.class);
            let mut counted = vec![0; parts];
            here.for_each(|image| counted[image.part] += 1);
            prop_assert_eq!(&counted, &class.got, "the table tells what was done");
        }
    }

    #[test]
    fn classes_without_shared_copies_are_in_every_part(
        groups in proptest::collection::vec((0usize..3, 1usize..5), 3..60), seed in any::<u64>(),
    ) {
        let mut records = Vec::new();
        for (content, (class, copies)) in groups.iter().enumerate() {
            for copy in 0..*copies {
                records.push(image(&format!("herb-{class}/{content:03}-{copy}.jpg"), content as u64));
            }
        }
        let catalog = catalog(records, &[]);
        for class in assign(&catalog, &request(USUAL, seed)).classes {
            prop_assert!(class.groups < 3 || class.got.iter().all(|&got| got > 0), "{:?}", class);
        }
    }
}
