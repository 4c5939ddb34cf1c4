//! Which findings a collection has, and which it has not.

use super::names::{Alike, Class, alike};
use super::{
    classes as class_findings, copies, images, integrity, leakage as leak_findings, placement,
};
use crate::audit::audit;
use crate::catalog::Catalog;
use crate::duplicates::Kind;
use crate::files::RelPath;
use crate::finding::{Code, Evidence, Finding, Severity};
use crate::inventory::inventory;
use crate::limits::FindingLimits;
use crate::measuring::{ImageMeasures, Measured};
use crate::reading::{ColourMode, Format, ReadError, ReadWarning};
use crate::record::{Outcome, Reason, Record};
use crate::tests::{catalog, change, classes, found, image, stray};

fn codes(findings: &[Finding]) -> Vec<&'static str> {
    findings.iter().map(|finding| finding.code.as_str()).collect()
}

fn of_classes(catalog: &Catalog) -> Vec<Finding> {
    class_findings(&catalog.collection, &inventory(catalog), &FindingLimits::default())
}

#[test]
fn a_healthy_collection_has_no_findings() {
    let catalog = catalog(classes(&[("bay", 20), ("sage", 200)]), &[]);
    let audit = audit(&catalog, &found(&catalog, &[]), &FindingLimits::default(), &[]);
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
    let thin = class_findings(&catalog.collection, &inventory(&catalog), &limits);
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

/// Groups of alike names among these classes: name, images, splits.
fn names_alike(classes: &[(&str, u64, &[&str])]) -> Vec<(Vec<String>, Vec<&'static str>)> {
    let classes: Vec<Class<'_>> = classes
        .iter()
        .map(|&(name, images, splits)| Class {
            name,
            images,
            splits: splits.iter().copied().collect(),
        })
        .collect();
    let named = |Alike { members, differ_by }: Alike| {
        let names = members.iter().map(|&member| classes[member].name.to_owned());
        (names.collect(), differ_by.into_iter().collect())
    };
    alike(&classes).into_iter().map(named).collect()
}

#[test]
fn names_of_one_class_are_alike() {
    let both = |a: &str, b: &str| names_alike(&[(a, 50, &[]), (b, 50, &[])]);
    let alike = [
        ("Bay ", "bay", vec!["case", "spaces"]),
        ("SAGE", "sage", vec!["case"]),
        ("lemon  balm", "lemon_balm", vec!["spaces"]),
        ("cafe\u{301}s", "caf\u{e9}", vec!["a plural"]),
        ("s\u{430}ge", "sage", vec!["letters that look alike"]),
        ("leaf", "leaves", vec!["a plural"]),
        ("berries", "berry", vec!["a plural"]),
        ("chamomile", "chamomille", vec!["one letter"]),
        ("sage", "sgae", vec!["one letter"]),
        ("basil", "bassil", vec!["one letter"]),
        ("thyme", "thymes", vec!["a plural"]),
        ("mouse", "mice", vec!["a plural"]),
        ("cacti", "cactus", vec!["a plural"]),
        ("grey sage", "gray sage", vec!["one letter"]),
        ("cafe", "caf\u{e9}", vec!["accents"]),
        ("fiber", "fibre", vec!["British and American spelling"]),
    ];
    for (a, b, by) in alike {
        assert_eq!(both(a, b), [(vec![a.to_owned(), b.to_owned()], by)], "{a} {b}");
    }
    let apart = [
        ("bay", "may"),
        ("mint", "mint 2"),
        ("s001", "s002"),
        ("1_2", "12"),
        ("dil", "dill"),
        ("sage", "cage"),
        ("cactus", "cactu"),
        ("left", "lift"),
    ];
    for (a, b) in apart {
        assert_eq!(both(a, b), [], "{a} {b}");
    }
    // A short word that differs by a letter is a slip when hardly anything is in it, or when no split
    // has both.
    assert_eq!(names_alike(&[("sage", 100, &[]), ("sake", 3, &[])]).len(), 1);
    let splits: [(&str, u64, &[&str]); 2] = [("sage", 50, &["train"]), ("sake", 50, &["test"])];
    assert_eq!(names_alike(&splits).len(), 1);
    // Codes are no typos of each other, however many there are.
    let codes: Vec<String> = (0..300).map(|number| format!("rack{number:04}")).collect();
    let codes: Vec<(&str, u64, &[&str])> =
        codes.iter().map(|code| (code.as_str(), 20, &[][..])).collect();
    assert_eq!(names_alike(&codes), []);
}

#[test]
fn copies_are_judged_by_where_they_lie() {
    let reported = |kind: Kind, paths: &[&str]| {
        let records = paths.iter().map(|path| image(path, 1)).chain([image("sage/other.jpg", 2)]);
        let catalog = catalog(records.collect(), &[]);
        let found = found(&catalog, &[(kind, paths)]);
        let leakage =
            crate::leakage::leakage(&catalog.collection, &found, &FindingLimits::default(), &[]);
        let mut all = copies(&found);
        all.extend(leak_findings(&leakage, &found).into_iter().filter(|f| !f.images.is_empty()));
        all
    };
    let copy = &reported(Kind::SameBytes, &["sage/b.jpg", "sage/a.jpg"])[0];
    assert_eq!((copy.code, copy.class.as_deref()), (Code::SameBytes, Some("sage")));
    assert_eq!(copy.images, ["sage/a.jpg", "sage/b.jpg"]);
    assert_eq!(copy.message, "sage/a.jpg = sage/b.jpg");
    assert_eq!(copy.evidence["keep"], Evidence::Text("sage/b.jpg".into()));
    let many =
        &reported(Kind::Cropped, &["sage/a.jpg", "sage/b.jpg", "sage/c.jpg", "sage/d.jpg"])[0];
    assert_eq!(many.message, "sage/a.jpg ~ sage/b.jpg ~ sage/c.jpg and 1 more (cropped, 0.960)");
    assert_eq!(many.code, Code::SameImage);

    let conflict = |kind| reported(kind, &["sage/a.jpg", "bay/a.jpg"]);
    assert_eq!(codes(&conflict(Kind::Near)), ["label-conflict"]);
    assert_eq!(conflict(Kind::Near)[0].severity, Severity::Error);
    assert_eq!(conflict(Kind::Rotated)[0].severity, Severity::Warning);
    assert_eq!(codes(&conflict(Kind::Burst)), ["burst"]);
    assert_eq!(codes(&conflict(Kind::LookAlike)), [""; 0]);
    // An image beside the class folders contradicts no class.
    assert_eq!(codes(&reported(Kind::SameBytes, &["sage/a.jpg", "a.jpg"])), ["same-bytes"]);

    let across = |kind| reported(kind, &["train/sage/a.jpg", "test/sage/a.jpg"]);
    assert_eq!(codes(&across(Kind::Rotated)), ["split-leak"]);
    assert_eq!(codes(&across(Kind::Burst)), ["burst-leak"]);
    let goes = Evidence::Names(vec!["train/sage/a.jpg".into()]);
    assert_eq!(across(Kind::Near)[0].evidence["copies_to_remove"], goes);
    let both = reported(Kind::SameBytes, &["train/sage/a.jpg", "test/bay/a.jpg"]);
    assert_eq!(codes(&both), ["label-conflict", "split-leak"]);
    assert_eq!(both[0].evidence["splits"], Evidence::Names(vec!["test".into(), "train".into()]));
    assert!(both.iter().all(|finding| finding.class.is_none() && finding.split.is_none()));
}

type Change = fn(&mut Measured);

/// Two hundred images of sage that look much alike, and what `change_one` makes of the first few.
fn odd(number: usize, change_one: Change) -> Vec<Finding> {
    let mut records = classes(&[("sage", 200)]);
    for (at, record) in (0u8..).zip(&mut records) {
        let Outcome::Image(measured) = &mut record.outcome else { continue };
        let wobble = 1.0 + f32::from(at % 17) / 100.0;
        measured.measures = ImageMeasures {
            deviation: [40.0 * wobble; 3],
            brightness: 0.4 * wobble,
            contrast: 0.2 * wobble,
            sharpness: 0.3 * wobble,
            saturation: 0.5,
            flat_share: 0.2,
            ..ImageMeasures::default()
        };
    }
    for at in 0..number {
        change_one(change(&mut records, &format!("sage/{at:04}.jpg")));
    }
    images(&catalog(records, &[]), &FindingLimits::default())
}

#[test]
fn few_odd_pictures_are_named_and_many_are_how_the_collection_is() {
    let kinds: [(&str, Change); 9] = [
        ("too-dark", |m| (m.measures.brightness, m.measures.contrast) = (0.08, 0.06)),
        ("washed-out", |m| m.measures.contrast = 0.02),
        ("soft-focus", |m| m.measures.sharpness = 0.03),
        ("grey-among-colour", |m| m.measures.saturation = 0.01),
        ("tiny", |m| (m.facts.width_px, m.facts.height_px) = (28, 21)),
        ("aspect-outlier", |m| m.facts.width_px = 2000),
        ("blank", |m| {
            m.measures = ImageMeasures {
                mean: [255.0, 0.0, 16.0],
                flat_share: 1.0,
                ..ImageMeasures::default()
            };
        }),
        ("transparent", |m| m.facts.colour = ColourMode::Rgba),
        ("exif-orientation", |m| m.facts.orientation = 6),
    ];
    assert_eq!(odd(0, |_| {}), []);
    for (code, change) in kinds {
        let is_of_one = |finding: &&Finding| finding.code.as_str() == code;
        let few = odd(2, change);
        let named: Vec<&Finding> = few.iter().filter(is_of_one).collect();
        let is_note = matches!(code, "transparent" | "exif-orientation");
        assert_eq!(named.len(), if is_note { 1 } else { 2 }, "{code}: {few:?}");
        assert_eq!(named[0].severity, if is_note { Severity::Note } else { Severity::Warning });
        let others = few.iter().filter(|finding| finding.severity < Severity::Note);
        assert!(others.clone().all(|finding| finding.code.as_str() == code), "{few:?}");
        let many = odd(50, change);
        let reported: Vec<&Finding> = many.iter().filter(is_of_one).collect();
        assert_eq!((reported.len(), reported[0].severity), (1, Severity::Note), "{code}");
        assert_eq!(reported[0].images.len(), 50);
    }
    assert_eq!(odd(1, kinds[6].1)[0].message, "sage/0000.jpg: uniformly #ff0010");
    // Few bright things on black ground are to be seen.
    assert_eq!(codes(&odd(2, |m| m.measures.brightness = 0.08)), [] as [&str; 0]);
    // Blank images are worth a warning as long as they are not what the collection is made of.
    assert_eq!(odd(10, kinds[6].1)[0].severity, Severity::Warning);
    let sizes = odd(3, |m| m.facts.width_px = 641);
    assert_eq!(codes(&sizes), ["mixed-sizes"]);
}

#[test]
fn many_odd_pictures_of_one_class_are_told_with_it() {
    let mut records = classes(&[("bay", 60), ("sage", 60)]);
    let wobble = |at: usize| 0.9 + (at % 7) as f32 / 35.0;
    for (at, record) in records.iter_mut().enumerate() {
        let Outcome::Image(measured) = &mut record.outcome else { continue };
        let is_dark = record.path.folder() == "sage" && at % 3 == 0;
        let brightness = if is_dark { 0.03 } else { 0.5 * wobble(at) };
        let contrast = if is_dark { 0.02 } else { 0.2 * wobble(at) };
        measured.measures = ImageMeasures { brightness, contrast, ..measured.measures };
    }
    let reported = |records: Vec<Record>| {
        let findings = images(&catalog(records, &[]), &FindingLimits::default());
        let dark = findings.into_iter().find(|finding| finding.code == Code::TooDark).unwrap();
        (dark.message, dark.class)
    };
    let (message, class) = reported(records.clone());
    assert!(message.ends_with("very dark, all of them in \"sage\""), "{message}");
    assert_eq!(class.as_deref(), Some("sage"));
    // One in another class, and it is how the collection is.
    let look = &mut change(&mut records, "bay/0001.jpg").measures;
    (look.brightness, look.contrast) = (0.03, 0.02);
    let (message, class) = reported(records);
    assert!(message.ends_with("very dark") && class.is_none(), "{message}");
}

#[test]
fn pictures_beside_the_class_folders_are_told_once() {
    let mut records = classes(&[("sage", 2)]);
    records.extend([image("a.jpg", 100), image("b.jpg", 101), stray("c.txt")]);
    let findings = placement(&catalog(records, &[]));
    assert_eq!(codes(&findings), ["outside-class"]);
    assert_eq!(findings[0].images, ["a.jpg", "b.jpg"]);
    assert_eq!(findings[0].message, "2 images are not in a class folder of the root");
}

/// A record whose file was set aside.
fn set_aside(path: &str, reason: Reason) -> Record {
    Record { outcome: Outcome::SetAside(reason), ..stray(path) }
}

#[test]
fn every_reason_to_set_a_file_aside_has_its_finding() {
    let cut = ReadError::Truncated(Format::Jpeg, "it ends".into());
    let damaged = ReadError::Damaged(Format::Png, "a wrong sum".into());
    let reasons = [
        (Reason::ReadError(ReadError::Unreadable("Permission denied".into())), "unreadable"),
        (Reason::ReadError(ReadError::Empty), "empty-file"),
        (Reason::ReadError(ReadError::NotAnImage(Some("text".into()))), "not-an-image"),
        (Reason::ReadError(ReadError::Unsupported("HEIC".into())), "unsupported-format"),
        (Reason::ReadError(ReadError::OverLimit("too large".into())), "over-limit"),
        (Reason::ReadError(cut), "truncated"),
        (Reason::ReadError(damaged), "damaged"),
        (Reason::Stray(None), "stray-file"),
        (Reason::GeneratedTable, "generated-table"),
        (Reason::Link, "link-not-followed"),
        (Reason::BrokenLink, "broken-link"),
        (Reason::LinkLoop, "link-loop"),
        (Reason::Special, "not-a-file"),
    ];
    for (reason, code) in reasons {
        let catalog = catalog(vec![set_aside("sage/a.jpg", reason)], &[]);
        let findings = integrity(&catalog);
        assert_eq!(codes(&findings), [code]);
        assert_eq!(findings[0].images, ["sage/a.jpg"]);
        assert_eq!(findings[0].class.as_deref(), Some("sage"));
        assert!(findings[0].message.starts_with("sage/a.jpg: "), "{}", findings[0].message);
        assert_eq!(inventory(&catalog).set_aside, 1);
    }
}

#[test]
fn doubts_and_wrong_names_leave_a_picture_a_picture() {
    let doubtful = |path: &str, read_warnings: Vec<ReadWarning>| {
        let mut record = image(path, 1);
        if let Outcome::Image(measured) = &mut record.outcome {
            measured.read_warnings = read_warnings;
        }
        let mut catalog = catalog(vec![record], &[]);
        catalog.collection.unlistable.clear();
        assert_eq!(inventory(&catalog).images, 1);
        integrity(&catalog)
    };
    assert_eq!(codes(&doubtful("sage/a.JPEG", vec![])), [""; 0]);
    assert_eq!(codes(&doubtful("sage/a.jpg", vec![ReadWarning::MissingEnd])), ["missing-end"]);
    let trailing = doubtful("sage/a.jpg", vec![ReadWarning::TrailingBytes(7)]);
    assert_eq!(trailing[0].evidence["trailing_bytes"], Evidence::Count(7));
    assert_eq!(
        codes(&doubtful("sage/a.jpg", vec![ReadWarning::Suspect("odd".into())])),
        ["suspect-data"]
    );
    let renamed = doubtful("sage/a.png", vec![]);
    assert_eq!(renamed[0].message, "sage/a.png: the content is JPEG, the name says .png");
    let bare = doubtful("sage/a", vec![]);
    assert_eq!(bare[0].message, "sage/a: the content is JPEG, and the name has no extension");
    assert_eq!(codes(&doubtful("sage/.jpg", vec![])), ["wrong-extension"]);
}

#[test]
fn folders_that_cannot_be_listed_are_errors() {
    let mut catalog = catalog(classes(&[("sage", 30)]), &[]);
    catalog.collection.unlistable.push((RelPath::new("bay".as_ref()), "Permission denied".into()));
    let audit = audit(&catalog, &found(&catalog, &[]), &FindingLimits::default(), &[]);
    assert_eq!(codes(&audit.findings), ["unreadable"]);
    assert_eq!(audit.inventory.files, 30, "a folder is no file");
}

#[test]
fn a_folder_that_cannot_be_listed_is_not_called_empty() {
    let mut catalog = catalog(classes(&[("sage", 30)]), &["bay", "dill"]);
    let locked = RelPath::new("bay".as_ref());
    catalog.collection.unlistable.push((locked, "the folder cannot be listed".to_owned()));
    let found = of_classes(&catalog);
    let empty = found.iter().filter(|finding| finding.code == Code::EmptyClass);
    let classes: Vec<Option<&str>> = empty.map(|finding| finding.class.as_deref()).collect();
    assert_eq!(classes, [Some("dill")]);
}

#[test]
fn findings_come_worst_first() {
    let mut records = classes(&[("sage", 30), ("bay", 3)]);
    records.extend([stray("sage/z.txt"), stray("sage/b.txt"), image("sage/copy.jpg", 1)]);
    records.push(set_aside("sage/cut.jpg", Reason::ReadError(ReadError::Empty)));
    let catalog = catalog(records, &[]);
    let twice = [(Kind::SameBytes, &["sage/0000.jpg", "sage/copy.jpg"][..])];
    let audit = audit(&catalog, &found(&catalog, &twice), &FindingLimits::default(), &[]);
    let expected =
        ["empty-file", "thin-class", "class-imbalance", "same-bytes", "stray-file", "stray-file"];
    assert_eq!(codes(&audit.findings), expected);
    assert_eq!(audit.findings[4].images, ["sage/b.txt"]);
    assert_eq!(Severity::ALL.map(|severity| audit.count(severity)), [1, 3, 2]);
    for code in Code::ALL {
        assert!(code.as_str().chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{code:?}");
    }
}
