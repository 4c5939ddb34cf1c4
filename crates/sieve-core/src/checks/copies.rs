//! Is every picture there once, under one class and in one split?

use crate::catalog::{Catalog, Record};
use crate::duplicates::{SameBytes, same_bytes};
use crate::finding::{Code, Finding};

/// For each group of files with the same bytes one finding, the worst that applies: a label
/// conflict, a leak between splits, or merely a copy. A group that is both of the first gives both.
pub fn copies(catalog: &Catalog) -> Vec<Finding> {
    same_bytes(catalog).iter().flat_map(findings).collect()
}

fn findings(group: &SameBytes<'_>) -> Vec<Finding> {
    let (classes, splits) = (group.classes(), group.splits());
    let mut findings = Vec::new();
    if classes.len() > 1 {
        findings.push(finding(group, Code::LabelConflict));
    }
    if splits.len() > 1 {
        findings.push(finding(group, Code::SplitLeak));
    }
    if findings.is_empty() {
        findings.push(finding(group, Code::SameBytes));
    }
    findings
}

fn finding(group: &SameBytes<'_>, code: Code) -> Finding {
    let paths: Vec<&str> = group.members.iter().map(|record| record.path.as_str()).collect();
    let owned = |names: Vec<&str>| names.into_iter().map(str::to_owned).collect::<Vec<_>>();
    let same = |name: fn(&Record) -> Option<&str>| {
        let first = name(group.members[0]);
        first.filter(|_| group.members.iter().all(|record| name(record) == first))
    };
    Finding::new(code, paths.join(" = "))
        .of(same(Record::class), same(Record::split))
        .images(&paths)
        .evidence("copies", group.members.len())
        .evidence("digest", group.digest.to_string().as_str())
        .evidence("classes", owned(group.classes()))
        .evidence("splits", owned(group.splits()))
}
