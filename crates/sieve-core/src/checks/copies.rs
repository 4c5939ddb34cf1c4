//! Is every image there once, and under one class?

use std::collections::BTreeSet;

use super::counted;
use crate::collection::made_from;
use crate::duplicates::{DuplicateReport, Group, Kind};
use crate::finding::{Code, Finding, Severity};
use crate::independent::origin;
use crate::record::Record;

/// For each group of copies that lies in one split a finding: a label conflict or merely a copy; for
/// each burst in one split a note. Conflicts are reported wherever the images lie; what spans splits is
/// leakage. Look-alikes are not reported: nothing is to be done about them.
pub fn copies(found: &DuplicateReport<'_>) -> Vec<Finding> {
    let made = made(found);
    let reported =
        found.groups.iter().filter(|group| made.is_none() || !is_of_one_origin(found, group));
    let mut findings: Vec<Finding> = reported.flat_map(|group| findings(found, group)).collect();
    findings.extend(made);
    findings
}

/// Whether all of a group were made from one image, or are that image: they are alike on purpose.
fn is_of_one_origin(found: &DuplicateReport<'_>, group: &Group) -> bool {
    let mut origins =
        group.members.iter().map(|member| origin(found.images[member.image as usize].record));
    let first = origins.next();
    first.is_some_and(|first| origins.all(|origin| origin == first))
}

/// Images that were made from others; none where there are none.
fn made(found: &DuplicateReport<'_>) -> Option<Finding> {
    let records = found.images.iter().map(|image| image.record);
    let made: Vec<&Record> = records
        .filter(|record| record.place.group().is_some_and(|group| made_from(group).is_some()))
        .collect();
    let sources: BTreeSet<_> = made.iter().map(|record| origin(record)).collect();
    let message = format!(
        "{} made from {}",
        counted(made.len() as u64, "image was", "images were"),
        counted(sources.len() as u64, "other", "others"),
    );
    let finding = Finding::new(Code::Augmented, message)
        .images(made.iter().map(|record| &record.path))
        .evidence("images", made.len())
        .evidence("sources", sources.len());
    (!made.is_empty()).then_some(finding)
}

fn findings(found: &DuplicateReport<'_>, group: &Group) -> Vec<Finding> {
    let mut findings = Vec::new();
    if !group.kind.is_dependent() {
        return findings;
    }
    if group.kind == Kind::Burst {
        if !group.across_splits {
            findings.push(about(found, group, Code::Burst));
        }
        return findings;
    }
    if group.label_conflict {
        let kind = surest_conflict(found, group);
        let conflict = about(found, group, Code::LabelConflict).evidence("kind", kind.name());
        // Some classes are mirror images or parts of each other: left and right, a letter and
        // the same with a dot.
        let is_sure = kind <= Kind::Near;
        findings.push(if is_sure { conflict } else { conflict.severity(Severity::Warning) });
    } else if !group.across_splits {
        let is_file = group.kind == Kind::SameBytes;
        let code = if is_file { Code::SameBytes } else { Code::SameImage };
        findings.push(about(found, group, code));
    }
    findings
}

/// The surest way in which two images of different classes are the same.
fn surest_conflict(found: &DuplicateReport<'_>, group: &Group) -> Kind {
    let class = |number: u32| found.images[number as usize].record.class();
    let mut numbers: Vec<u32> = group.members.iter().map(|member| member.image).collect();
    numbers.sort_unstable();
    let is_in = |number: u32| numbers.binary_search(&number).is_ok();
    // Pairs are sorted by their first image.
    let conflicts = numbers.iter().flat_map(|&a| {
        let from = found.pairs.partition_point(|pair| pair.a < a);
        let of_it = found.pairs[from..].iter().take_while(move |pair| pair.a == a);
        of_it.filter(|pair| is_in(pair.b) && class(pair.a).is_some() && class(pair.b).is_some())
    });
    let kinds = conflicts.filter(|pair| class(pair.a) != class(pair.b)).map(|pair| pair.kind);
    kinds.min().unwrap_or(group.kind)
}

/// Names in a sentence; the others are in the list of images.
const NAMED: usize = 3;

/// A finding about a group of images that are the same or belong together.
pub(super) fn about(found: &DuplicateReport<'_>, group: &Group, code: Code) -> Finding {
    let mut records: Vec<&Record> =
        group.members.iter().map(|member| found.images[member.image as usize].record).collect();
    records.sort_by(|a, b| a.path.cmp(&b.path));
    let same = |name: fn(&Record) -> Option<&str>| {
        let first = name(records[0]);
        first.filter(|_| records.iter().all(|record| name(record) == first))
    };
    let names = |name: fn(&Record) -> Option<&str>| {
        let mut names: Vec<String> =
            records.iter().filter_map(|record| name(record)).map(str::to_owned).collect();
        names.sort_unstable();
        names.dedup();
        names
    };
    let sign = match group.kind {
        Kind::SameBytes => " = ",
        Kind::Burst => ", ",
        _ => " ~ ",
    };
    let shown = records.iter().take(NAMED).map(|record| {
        if group.across_splits { record.path_in_split() } else { record.path.to_string() }
    });
    let mut message = shown.collect::<Vec<_>>().join(sign);
    if records.len() > NAMED {
        message.push_str(&format!(" and {} more", records.len() - NAMED));
    }
    if group.kind != Kind::SameBytes && group.kind != Kind::Burst {
        message.push_str(&format!(" ({}, {:.3})", group.kind.name(), group.score));
    }
    let finding = Finding::new(code, message)
        .about(same(Record::class), same(Record::split))
        .images(records.iter().map(|record| &record.path))
        .evidence("images", records.len())
        .evidence("kind", group.kind.name())
        .evidence("score", f64::from(group.score))
        .evidence("classes", names(Record::class))
        .evidence("splits", names(Record::split));
    let keep = group.members.iter().find(|member| member.keep);
    match keep.map(|member| found.images[member.image as usize].record) {
        Some(keep) if group.kind.is_duplicate() => finding.evidence("keep", keep.path.as_str()),
        _ => finding,
    }
}
