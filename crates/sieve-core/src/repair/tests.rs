//! Rules on made-up collections, and plans on any.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::Path;

use proptest::prelude::*;

use super::*;
use crate::audit::audit;
use crate::catalog::Catalog;
use crate::collection::ExtraColumns;
use crate::duplicates::Kind;
use crate::files::RelPath;
use crate::finding::Code;
use crate::limits::FindingLimits;
use crate::measuring::Digest;
use crate::record::Record;
use crate::tests::{catalog, change, classes, found, image, stray};

type Groups<'a> = [(Kind, &'a [&'a str])];

fn usual() -> RepairRequest {
    RepairRequest {
        rules: Rule::ALL.iter().copied().filter(|rule| rule.is_usual()).collect(),
        prefer: Prefer::ALL.to_vec(),
        ..RepairRequest::default()
    }
}

fn wishing(rule: Rule, wish: impl FnOnce(&mut RepairRequest)) -> RepairRequest {
    let mut wishes = usual();
    wishes.rules.insert(rule);
    wish(&mut wishes);
    wishes
}

fn proposed(records: Vec<Record>, groups: &Groups<'_>, wishes: &RepairRequest) -> Proposed {
    let catalog = catalog(records, &[]);
    let found = found(&catalog, groups);
    let audit = audit(&catalog, &found, &FindingLimits::default(), &wishes.protect);
    let digests = HashMap::new();
    let subject = Subject {
        catalog: &catalog,
        found: &found,
        audit: &audit,
        findings: &audit.findings,
        digests: &digests,
    };
    propose(&subject, wishes)
}

/// The rows as `action path`, with where they lead.
fn rows(proposed: &Proposed) -> Vec<String> {
    let row = |proposal: &Proposal| {
        let row = &proposal.row;
        let to = if row.to.is_empty() { String::new() } else { format!(" -> {}", row.to) };
        format!("{} {}{to}", row.action, row.path)
    };
    proposed.proposals.iter().map(row).collect()
}

#[test]
fn of_copies_the_best_stays_and_one_always_does() {
    let records = || {
        let mut records = classes(&[("sage", 6)]);
        for (number, bytes) in [(0, 900), (1, 1200), (2, 1200)] {
            records[number].size_bytes = bytes;
        }
        records
    };
    let paths = ["sage/0000.jpg", "sage/0001.jpg", "sage/0002.jpg"];
    let groups: &Groups<'_> = &[(Kind::Near, &paths)];
    let wishes = usual();
    let all = proposed(records(), groups, &wishes);
    assert_eq!(rows(&all), ["keep sage/0001.jpg", "drop sage/0000.jpg", "drop sage/0002.jpg"]);
    assert_eq!(all.classes["sage"], (6, 4));
    assert!(
        all.proposals[1].row.reason.ends_with("sage/0001.jpg, which comes first"),
        "{:?}",
        all.proposals[1]
    );
    assert_eq!(all.proposals[1].row.confidence.map(|score| (score * 100.0).round()), Some(96.0));
    // The same pixels in more bytes are no better.
    let pixels = proposed(records(), &[(Kind::SamePixels, &paths)], &wishes);
    assert_eq!(rows(&pixels)[0], "keep sage/0000.jpg");
    // What another rule drops is not what copies are kept for.
    let listed = wishing(Rule::Listed, |wishes| {
        wishes.drop_list = BTreeSet::from([RelPath::new(Path::new("sage/0001.jpg"))]);
    });
    let all = proposed(records(), groups, &listed);
    assert_eq!(rows(&all), ["keep sage/0002.jpg", "drop sage/0000.jpg", "drop sage/0001.jpg"]);
    // An older file is preferred where that is asked for, if it is older by more than a moment.
    let mut old = records();
    old[2].at.stamp.modified_ns = 0;
    old[0].at.stamp.modified_ns = 5_000_000_000;
    old[1].at.stamp.modified_ns = 600_000_000_000;
    let oldest = RepairRequest { prefer: vec![Prefer::Oldest], ..usual() };
    assert_eq!(rows(&proposed(old, groups, &oldest))[0], "keep sage/0000.jpg");
    // Variants and look-alikes are nobody's copies.
    assert_eq!(rows(&proposed(records(), &[(Kind::Recoloured, &paths)], &wishes)), [""; 0]);
    assert_eq!(rows(&proposed(records(), &[(Kind::LookAlike, &paths)], &wishes)), [""; 0]);
}

#[test]
fn conflicts_and_what_hangs_on_them_are_left_to_a_person() {
    let records = classes(&[("sage", 4), ("bay", 4)]);
    let groups: &Groups<'_> =
        &[(Kind::SameBytes, &["sage/0000.jpg", "sage/0001.jpg", "bay/0000.jpg"])];
    let all = proposed(records, groups, &usual());
    assert_eq!(rows(&all), ["decide bay/0000.jpg", "decide sage/0000.jpg", "decide sage/0001.jpg"]);
    let groups: BTreeSet<&str> =
        all.proposals.iter().map(|proposal| proposal.row.group.as_str()).collect();
    assert_eq!(groups.len(), 1);
    assert_eq!((all.classes["sage"], all.classes["bay"]), ((4, 4), (4, 4)));
}

#[test]
fn files_are_dropped_renamed_or_decided_on_for_what_they_are() {
    let mut records = classes(&[("sage", 4)]);
    records.extend([image("loose.jpg", 90), stray("sage/notes.txt")]);
    change(&mut records, "sage/0001.jpg").facts.format = crate::reading::Format::Png;
    change(&mut records, "sage/0002.jpg").facts.orientation = 6;
    let wishes = wishing(Rule::Orientation, |_| {});
    let all = proposed(records.clone(), &[], &wishes);
    assert_eq!(
        rows(&all),
        [
            "decide loose.jpg",
            "rename sage/0001.jpg -> 0001.png",
            "rotate sage/0002.jpg -> 0002.png"
        ]
    );
    let codes = wishing(Rule::Codes, |wishes| {
        wishes.drop_codes = vec![Code::StrayFile, Code::WrongExtension]
    });
    let all = proposed(records.clone(), &[], &codes);
    assert_eq!(rows(&all), ["decide loose.jpg", "drop sage/0001.jpg", "drop sage/notes.txt"]);
    // A PNG that is stored as a PNG anyway needs no other name.
    let convert =
        wishing(Rule::Formats, |wishes| wishes.convert = vec![crate::reading::Format::Png]);
    let all = proposed(records, &[], &convert);
    assert_eq!(rows(&all)[1], "convert sage/0001.jpg -> 0001.png");
    assert_eq!(all.proposals.len(), 2);
}

#[test]
fn classes_become_one_get_names_and_are_capped() {
    let records = || classes(&[("Bay", 2), ("bay", 9), ("sage", 12), ("x", 1)]);
    let all = proposed(records(), &[], &usual());
    assert_eq!(rows(&all), ["relabel Bay/0000.jpg -> bay", "relabel Bay/0001.jpg -> bay"]);
    assert_eq!((all.classes["Bay"], all.classes["bay"]), ((2, 0), (9, 11)));
    // A relabelled image counts in its new class.
    let capped = wishing(Rule::Cap, |wishes| wishes.cap = Some(Cap::Images(10)));
    let all = proposed(records(), &[], &capped);
    let after = |class: &str| all.classes[class].1;
    assert_eq!((after("bay"), after("sage"), after("x"), after("Bay")), (10, 10, 1, 0));
    let floor = wishing(Rule::Floor, |wishes| {
        wishes.min_images = Some(MinImages { images: 5, into: Some("other".to_owned()) });
    });
    let all = proposed(records(), &[], &floor);
    assert!(rows(&all).contains(&"relabel x/0000.jpg -> other".to_owned()), "{:?}", rows(&all));
    let names = BTreeMap::from([
        ("sage".to_owned(), "Salvia".to_owned()),
        ("q".to_owned(), "Q".to_owned()),
    ]);
    let renamed = wishing(Rule::Names, |wishes| wishes.renames = Some(Renames { names }));
    let all = proposed(records(), &[], &renamed);
    assert_eq!(all.classes["Salvia"], (0, 12));
    assert_eq!(
        (all.unnamed, all.unused),
        (vec!["Bay".to_owned(), "bay".into(), "x".into()], vec!["q".to_owned()])
    );
}

#[test]
fn a_cap_takes_from_every_moment_before_it_takes_twice_from_one() {
    let mut records = classes(&[("sage", 12)]);
    for (number, record) in records.iter_mut().enumerate() {
        let group = Some(format!("plant {}", if number < 9 { 0 } else { number }));
        record.place.extra = Some(Box::new(ExtraColumns { group, values: Vec::new() }));
    }
    for seed in 0..5 {
        let wishes =
            wishing(Rule::Cap, |wishes| (wishes.cap, wishes.seed) = (Some(Cap::Images(4)), seed));
        let all = proposed(records.clone(), &[], &wishes);
        let dropped: Vec<String> = rows(&all);
        assert_eq!(dropped.len(), 8);
        // Four plants, of which the first has nine images: one of each stays.
        assert!(
            dropped.iter().all(|row| !["0009", "0010", "0011"].iter().any(|own| row.contains(own))),
            "{dropped:?}"
        );
    }
}

#[test]
fn what_was_found_before_tells_what_is_left() {
    let mut records = classes(&[("sage", 24), ("bay", 24)]);
    change(&mut records, "sage/0005.jpg").facts.format = crate::reading::Format::Png;
    let catalog = catalog(records, &[]);
    let groups: &Groups<'_> = &[
        (Kind::SameBytes, &["sage/0000.jpg", "sage/0001.jpg"]),
        (Kind::Near, &["sage/0002.jpg", "bay/0003.jpg"]),
        (Kind::Near, &["bay/0006.jpg", "bay/0007.jpg", "bay/0008.jpg"]),
    ];
    let found = found(&catalog, groups);
    let plan = "path,action,to\nsage/0001.jpg,drop,\nsage/0002.jpg,relabel,bay\nbay/0008.jpg,drop,\n\
                sage/0005.jpg,rename,0005.png\n";
    let plan = Plan::parse(plan.as_bytes()).unwrap();
    let done = changes(&catalog, &plan, &HashMap::new(), false);
    assert_eq!(done.refusals, []);
    let after = repaired(&catalog, &done);
    let found_after = found_after(&found, &catalog, &done, &after);
    let reported = |catalog: &Catalog, found: &crate::duplicates::DuplicateReport<'_>| {
        audit(catalog, found, &FindingLimits::default(), &[]).findings
    };
    let (before, after) = (reported(&catalog, &found), reported(&after, &found_after));
    let difference = difference(&before, &after);
    // The pair of one class is gone, and so is the conflict, which became a copy.
    assert_eq!(difference[&Code::SameBytes], (1, 0));
    assert_eq!(difference[&Code::LabelConflict], (1, 0));
    assert_eq!(difference[&Code::SameImage], (1, 2));
    assert_eq!(difference[&Code::WrongExtension], (1, 0));
}

/// Any collection of files in two classes, with any plan for it.
fn any_plan() -> impl Strategy<Value = (Vec<String>, Vec<(usize, u8, u8)>)> {
    let name = prop::sample::select(&["a.jpg", "b.jpg", "A.jpg", "c.png", "d"][..]);
    let class = prop::sample::select(&["sage", "bay"][..]);
    let files = prop::collection::btree_set(
        (class, name).prop_map(|(class, name)| format!("{class}/{name}")),
        1..9,
    );
    (
        files.prop_map(|files| files.into_iter().collect::<Vec<_>>()),
        prop::collection::vec((0..9usize, 0..6u8, 0..4u8), 0..12),
    )
}

proptest! {
    #[test]
    fn no_plan_loses_a_file_or_puts_two_in_one_place((files, wanted) in any_plan()) {
        let records: Vec<Record> = files.iter().enumerate().map(|(at, file)| image(file, at as u64)).collect();
        let catalog = catalog(records, &[]);
        let mut text = "path,action,to\n".to_owned();
        for (file, action, to) in &wanted {
            let (file, to) = (&files[file % files.len()], ["bay", "thyme", "b.jpg", "new.jpg"][usize::from(*to)]);
            let row = match action {
                0 => format!("{file},keep,"),
                1 => format!("{file},drop,"),
                2 | 3 => format!("{file},relabel,{to}"),
                4 => format!("{file},rename,{to}"),
                _ => format!("{file},convert,"),
            };
            text += &(row + "\n");
        }
        let plan = Plan::parse(text.as_bytes()).unwrap();
        let done = changes(&catalog, &plan, &HashMap::new(), false);
        // Each file is dropped, put somewhere, or its row is refused.
        let refused: HashSet<&str> = done.refusals.iter().map(|refusal| refusal.path.as_str()).collect();
        let mut seen: HashSet<usize> = done.unchanged.iter().map(|(at, _)| *at).collect();
        prop_assert!(done.changed.iter().all(|change| seen.insert(change.record)), "one fate each");
        for (at, record) in catalog.records.iter().enumerate() {
            prop_assert!(seen.contains(&at) || refused.contains(record.path.as_str()), "{}", record.path);
        }
        // No two stand in one place, even where case does not count; what is unchanged stays where it was.
        let mut places: Vec<(usize, crate::files::InsidePath)> = done.unchanged.clone();
        for (at, place) in &places {
            prop_assert_eq!(place.as_path(), catalog.records[*at].path.native());
        }
        places.extend(done.changed.iter().filter_map(|change| match &change.fate {
            FileOutcome::Put(place, _) => Some((change.record, place.clone())),
            FileOutcome::Drop => None,
        }));
        let folded = |place: &Path| place.to_string_lossy().to_lowercase();
        let moved: Vec<String> = done.changed.iter().filter_map(|change| match &change.fate {
            FileOutcome::Put(place, _) => Some(folded(place.as_path())),
            FileOutcome::Drop => None,
        }).collect();
        let still: HashSet<String> = done.unchanged.iter().map(|(_, place)| folded(place.as_path())).collect();
        let distinct: HashSet<&String> = moved.iter().collect();
        prop_assert_eq!(distinct.len(), moved.len(), "{:?}", moved);
        prop_assert!(moved.iter().all(|place| !still.contains(place)), "{:?} {:?}", moved, still);
        // What a class or a name is asked to be, it is.
        for change in &done.changed {
            let FileOutcome::Put(place, _) = &change.fate else { continue };
            if let Some(class) = &change.class {
                let folder = place.parent().unwrap();
                prop_assert_eq!(folder.as_path(), Path::new(class));
            }
        }
    }
}

#[test]
fn rows_are_checked_by_their_digests() {
    let catalog = catalog(classes(&[("sage", 3)]), &[]);
    let right = catalog.records[0].image().unwrap().digest.to_string();
    let wrong = Digest::of_bytes(b"another").to_string();
    let plan = format!(
        "path,action,digest\nsage/0000.jpg,drop,{right}\nsage/0001.jpg,drop,{wrong}\nsage/0009.jpg,drop,\n\
         sage/0002.jpg,decide,\n"
    );
    let plan = Plan::parse(plan.as_bytes()).unwrap();
    let done = changes(&catalog, &plan, &HashMap::new(), true);
    let reported: Vec<(u64, &str)> =
        done.refusals.iter().map(|refusal| (refusal.line, refusal.path.as_str())).collect();
    assert_eq!(reported, [(3, "sage/0001.jpg"), (4, "sage/0009.jpg")]);
    assert_eq!((done.changed.len(), done.undecided), (1, 1));
}

/// A split collection of some classes, and groups of it that do not overlap: kinds, and how many images each has.
fn any_collection() -> impl Strategy<Value = (Vec<String>, Vec<(Kind, Vec<usize>)>)> {
    let kinds = prop_oneof![
        Just(Kind::SameBytes),
        Just(Kind::SamePixels),
        Just(Kind::Near),
        Just(Kind::Burst),
        Just(Kind::Recoloured),
    ];
    let groups = proptest::collection::vec((kinds, 2usize..5), 0..8);
    let order = Just((0usize..60).collect::<Vec<_>>()).prop_shuffle();
    (groups, order, 0u8..3).prop_map(|(wanted, order, splits)| {
        let paths: Vec<String> = (0..60)
            .map(|at| {
                let class = ["sage", "bay", "thyme"][at % 3];
                match splits {
                    0 => format!("{class}/{at:02}.jpg"),
                    _ => format!(
                        "{}/{class}/{at:02}.jpg",
                        ["train", "validation", "test"][at / 3 % 3]
                    ),
                }
            })
            .collect();
        let mut order = order.into_iter();
        let groups = wanted
            .into_iter()
            .map(|(kind, count)| (kind, order.by_ref().take(count).collect::<Vec<_>>()))
            .filter(|(_, members)| members.len() > 1);
        let groups = groups.collect();
        (paths, groups)
    })
}

proptest! {
    #[test]
    fn a_plan_does_what_it_says_and_leaves_nothing_for_another(
        (paths, groups) in any_collection(),
        protects in any::<bool>(),
        bursts in proptest::option::of(1usize..3),
        cap in proptest::option::of(4usize..12),
        seed in 0u64..4,
    ) {
        let records: Vec<Record> =
            paths.iter().enumerate().map(|(at, path)| image(path, at as u64)).collect();
        let catalog = catalog(records, &[]);
        let members: Vec<(Kind, Vec<&str>)> = groups
            .iter()
            .map(|(kind, members)| (*kind, members.iter().map(|&at| paths[at].as_str()).collect()))
            .collect();
        let members: Vec<(Kind, &[&str])> =
            members.iter().map(|(kind, paths)| (*kind, paths.as_slice())).collect();
        let found = found(&catalog, &members);
        let mut wishes = RepairRequest { bursts, cap: cap.map(Cap::Images), seed, ..usual() };
        wishes.rules.extend(bursts.map(|_| Rule::Bursts));
        wishes.rules.extend(cap.map(|_| Rule::Cap));
        let has_test = catalog.collection.splits.iter().any(|split| split == "test");
        if protects && has_test {
            wishes.protect = vec!["test".to_owned()];
        }
        let audit_of = |catalog: &Catalog, found: &crate::duplicates::DuplicateReport<'_>| {
            audit(catalog, found, &FindingLimits::default(), &wishes.protect)
        };
        let propose_for = |catalog: &Catalog, found: &crate::duplicates::DuplicateReport<'_>| {
            let audit = audit_of(catalog, found);
            let digests = HashMap::new();
            let findings = &audit.findings;
            propose(&Subject { catalog, found, audit: &audit, findings, digests: &digests }, &wishes)
        };
        let proposed = propose_for(&catalog, &found);
        let rows = proposed.proposals.iter().zip(1u64..);
        let plan = Plan {
            comments: Vec::new(),
            rows: rows.map(|(proposal, line)| (line, proposal.row.clone())).collect(),
        };
        let done = changes(&catalog, &plan, &HashMap::new(), true);
        prop_assert!(done.refusals.is_empty(), "{:?}", done.refusals);
        let after = repaired(&catalog, &done);

        // The numbers that it gives are those that come out.
        for (class, (before, left)) in &proposed.classes {
            let count = |catalog: &Catalog| {
                catalog.images().filter(|(record, _)| record.class() == Some(class)).count() as u64
            };
            prop_assert_eq!((count(&catalog), count(&after)), (*before, *left), "{}", class);
        }
        // One of each group of copies stays, unless a cap took the last one too; variants all do.
        let there: HashSet<&str> = after.records.iter().map(|record| record.path.as_str()).collect();
        for (kind, paths) in &members {
            let left = paths.iter().filter(|path| there.contains(*path)).count();
            prop_assert!(left > 0 || cap.is_some(), "{:?} {:?}", kind, paths);
            prop_assert!(!kind.is_variant() || left == paths.len() || cap.is_some());
        }
        // What is protected keeps its images; a cap is a cap of train alone.
        if !wishes.protect.is_empty() {
            let of_test = |catalog: &Catalog| {
                catalog.records.iter().filter(|record| record.split() == Some("test")).count()
            };
            prop_assert_eq!(of_test(&catalog), of_test(&after));
        }
        if let Some(cap) = cap {
            let trained = |class: &str| {
                let of_it = after.images().filter(|(record, _)| record.class() == Some(class));
                of_it.filter(|(record, _)| !has_test || record.split() == Some("train")).count()
            };
            // What a person decides on counts, and stays.
            let open = |class: &str| {
                let rows = proposed.proposals.iter().map(|proposal| &proposal.row);
                rows.filter(|row| row.action == Action::Decide && row.path.as_str().contains(class)).count()
            };
            for class in ["sage", "bay", "thyme"] {
                prop_assert!(trained(class) <= cap.max(open(class)), "{}", class);
            }
        }
        // Nothing is left to be dropped: what stays open waits for a person, or is protected on both sides.
        let found = found_after(&found, &catalog, &done, &after);
        let again = propose_for(&after, &found);
        let dropped: Vec<&Row> = again
            .proposals
            .iter()
            .map(|proposal| &proposal.row)
            .filter(|row| row.action == Action::Drop)
            .collect();
        prop_assert!(dropped.is_empty(), "{:?}", dropped);
    }
}
