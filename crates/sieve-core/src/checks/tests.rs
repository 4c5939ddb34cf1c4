//! Which findings a collection has, and which it has not.

use super::classes::names_alike;
use super::{classes as class_findings, copies, integrity, placement};
use crate::audit::audit;
use crate::catalog::{Catalog, Outcome, Reason, Record};
use crate::collection::RelPath;
use crate::finding::{Code, Evidence, Finding, Severity};
use crate::inventory::inventory;
use crate::limits::FindingLimits;
use crate::reading::{Doubt, Format, Trouble};
use crate::tests::{catalog, classes, image, stray};

fn codes(findings: &[Finding]) -> Vec<&'static str> {
    findings.iter().map(|finding| finding.code.as_str()).collect()
}

fn of_classes(catalog: &Catalog) -> Vec<Finding> {
    class_findings(&inventory(catalog), &FindingLimits::default())
}

#[test]
fn a_healthy_collection_has_no_findings() {
    let catalog = catalog(classes(&[("bay", 20), ("sage", 200)]), &[]);
    let audit = audit(&catalog, &FindingLimits::default());
    assert_eq!(audit.findings, []);
    assert_eq!((audit.inventory.images, audit.inventory.set_aside), (220, 0));
}

#[test]
fn limits_are_limits() {
    // 20 is not thin and 10 times is no imbalance; one beyond is.
    let at = |sage, bay| of_classes(&catalog(classes(&[("sage", sage), ("bay", bay)]), &[]));
    assert_eq!(codes(&at(20, 200)), [""; 0]);
    assert_eq!(codes(&at(20, 201)), ["class-imbalance"]);
    assert_eq!(codes(&at(19, 100)), ["thin-class"]);
    let imbalance = &at(20, 201)[0];
    assert_eq!(imbalance.evidence["ratio"], Evidence::Number(10.05));
    assert_eq!(imbalance.evidence["largest_class"], Evidence::Text("bay".into()));

    let mut limits = FindingLimits::default();
    assert!(limits.set("thin-class", 10.0) && !limits.set("thin", 10.0));
    let catalog = catalog(classes(&[("sage", 12), ("bay", 9)]), &[]);
    let thin = class_findings(&inventory(&catalog), &limits);
    assert_eq!(thin.iter().map(|f| f.class.as_deref()).collect::<Vec<_>>(), [Some("bay")]);
}

#[test]
fn an_empty_class_is_empty_and_not_thin() {
    let mut records = classes(&[("sage", 30), ("bay", 30)]);
    records.push(stray("dill/readme.txt"));
    let findings = of_classes(&catalog(records, &["lovage"]));
    assert_eq!(codes(&findings), ["empty-class", "empty-class"]);
    let named: Vec<&str> = findings.iter().filter_map(|f| f.class.as_deref()).collect();
    assert_eq!(named, ["dill", "lovage"]);
}

#[test]
fn names_that_differ_in_spelling_only_are_alike() {
    let names: Vec<String> = [
        "bay",
        "Bay ",
        "sage",
        "SAGE",
        "lemon balm",
        "lemon  balm",
        "caf\u{e9}",
        "cafe\u{301}",
        "dill",
        "dille",
    ]
    .map(String::from)
    .to_vec();
    let groups = names_alike(&names);
    let expected: [&[&str]; 4] = [
        &["Bay ", "bay"],
        &["cafe\u{301}", "caf\u{e9}"],
        &["lemon  balm", "lemon balm"],
        &["SAGE", "sage"],
    ];
    assert_eq!(groups, expected);
}

#[test]
fn copies_are_judged_by_where_they_lie() {
    let found = |paths: &[&str]| {
        let records = paths.iter().map(|path| image(path, 1)).chain([image("sage/other.jpg", 2)]);
        copies(&catalog(records.collect(), &[]))
    };
    assert_eq!(codes(&found(&["sage/a.jpg"])), [""; 0]);
    let copy = &found(&["sage/b.jpg", "sage/a.jpg"])[0];
    assert_eq!((copy.code, copy.class.as_deref()), (Code::SameBytes, Some("sage")));
    assert_eq!(copy.images, ["sage/a.jpg", "sage/b.jpg"]);
    assert_eq!(copy.says, "sage/a.jpg = sage/b.jpg");

    assert_eq!(codes(&found(&["sage/a.jpg", "bay/a.jpg"])), ["label-conflict"]);
    // A picture beside the class folders contradicts no class.
    assert_eq!(codes(&found(&["sage/a.jpg", "a.jpg"])), ["same-bytes"]);
    assert_eq!(codes(&found(&["train/sage/a.jpg", "test/sage/a.jpg"])), ["split-leak"]);
    let both = found(&["train/sage/a.jpg", "test/bay/a.jpg"]);
    assert_eq!(codes(&both), ["label-conflict", "split-leak"]);
    assert_eq!(both[0].evidence["splits"], Evidence::Names(vec!["test".into(), "train".into()]));
    assert!(both.iter().all(|finding| finding.class.is_none() && finding.split.is_none()));
}

#[test]
fn pictures_beside_the_class_folders_are_told_once() {
    let mut records = classes(&[("sage", 2)]);
    records.extend([image("a.jpg", 100), image("b.jpg", 101), stray("c.txt")]);
    let findings = placement(&catalog(records, &[]));
    assert_eq!(codes(&findings), ["outside-class"]);
    assert_eq!(findings[0].images, ["a.jpg", "b.jpg"]);
    assert_eq!(findings[0].says, "2 pictures lie beside the class folders of the root");
}

/// A record whose file was set aside.
fn set_aside(path: &str, reason: Reason) -> Record {
    Record { outcome: Outcome::SetAside(reason), ..stray(path) }
}

#[test]
fn every_reason_to_set_a_file_aside_has_its_finding() {
    let cut = Trouble::CutShort(Format::Jpeg, "it ends".into());
    let damaged = Trouble::Damaged(Format::Png, "a wrong sum".into());
    let reasons = [
        (Reason::Trouble(Trouble::Unreadable("Permission denied".into())), "unreadable"),
        (Reason::Trouble(Trouble::Empty), "empty-file"),
        (Reason::Trouble(Trouble::NotAnImage(Some("text".into()))), "not-an-image"),
        (Reason::Trouble(Trouble::Unsupported("HEIC".into())), "unsupported-format"),
        (Reason::Trouble(Trouble::OverLimit("too large".into())), "over-limit"),
        (Reason::Trouble(cut), "cut-short"),
        (Reason::Trouble(damaged), "damaged"),
        (Reason::Stray(None), "stray-file"),
        (Reason::SplitTable, "split-table"),
        (Reason::Link, "link-not-followed"),
        (Reason::LinkLoop, "link-loop"),
        (Reason::Special, "not-a-file"),
    ];
    for (reason, code) in reasons {
        let catalog = catalog(vec![set_aside("sage/a.jpg", reason)], &[]);
        let findings = integrity(&catalog);
        assert_eq!(codes(&findings), [code]);
        assert_eq!(findings[0].images, ["sage/a.jpg"]);
        assert_eq!(findings[0].class.as_deref(), Some("sage"));
        assert!(findings[0].says.starts_with("sage/a.jpg: "), "{}", findings[0].says);
        assert_eq!(inventory(&catalog).set_aside, 1);
    }
}

#[test]
fn doubts_and_wrong_names_leave_a_picture_a_picture() {
    let doubtful = |path: &str, doubts: Vec<Doubt>| {
        let mut record = image(path, 1);
        if let Outcome::Image(measured) = &mut record.outcome {
            measured.doubts = doubts;
        }
        let mut catalog = catalog(vec![record], &[]);
        catalog.collection.unlistable.clear();
        assert_eq!(inventory(&catalog).images, 1);
        integrity(&catalog)
    };
    assert_eq!(codes(&doubtful("sage/a.JPEG", vec![])), [""; 0]);
    assert_eq!(codes(&doubtful("sage/a.jpg", vec![Doubt::MissingEnd])), ["missing-end"]);
    let trailing = doubtful("sage/a.jpg", vec![Doubt::TrailingBytes(7)]);
    assert_eq!(trailing[0].evidence["trailing_bytes"], Evidence::Count(7));
    assert_eq!(
        codes(&doubtful("sage/a.jpg", vec![Doubt::Suspect("odd".into())])),
        ["suspect-data"]
    );
    let renamed = doubtful("sage/a.png", vec![]);
    assert_eq!(renamed[0].says, "sage/a.png: the content is JPEG, the name says .png");
    let bare = doubtful("sage/a", vec![]);
    assert_eq!(bare[0].says, "sage/a: the content is JPEG, and the name has no extension");
    assert_eq!(codes(&doubtful("sage/.jpg", vec![])), ["wrong-extension"]);
}

#[test]
fn folders_that_cannot_be_listed_are_errors() {
    let mut catalog = catalog(classes(&[("sage", 30)]), &[]);
    catalog.collection.unlistable.push((RelPath::new("bay".as_ref()), "Permission denied".into()));
    let audit = audit(&catalog, &FindingLimits::default());
    assert_eq!(codes(&audit.findings), ["unreadable"]);
    assert_eq!(audit.inventory.files, 30, "a folder is no file");
}

#[test]
fn findings_come_worst_first() {
    let mut records = classes(&[("sage", 30), ("bay", 3)]);
    records.extend([stray("sage/z.txt"), stray("sage/b.txt"), image("sage/copy.jpg", 1)]);
    records.push(set_aside("sage/cut.jpg", Reason::Trouble(Trouble::Empty)));
    let audit = audit(&catalog(records, &[]), &FindingLimits::default());
    let expected =
        ["empty-file", "thin-class", "class-imbalance", "same-bytes", "stray-file", "stray-file"];
    assert_eq!(codes(&audit.findings), expected);
    assert_eq!(audit.findings[4].images, ["sage/b.txt"]);
    assert_eq!(Severity::ALL.map(|severity| audit.count(severity)), [1, 3, 2]);
    for code in Code::ALL {
        assert!(code.as_str().chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{code:?}");
    }
}
