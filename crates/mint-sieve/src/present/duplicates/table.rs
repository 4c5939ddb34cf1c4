//! `duplicates` as tables.

use sieve_core::duplicates::{Kind, Pair};

use super::{Duplicates, reason};

/// One row a picture of a group.
pub fn csv(answer: &Duplicates<'_>) -> String {
    let mut table = csv::Writer::from_writer(Vec::new());
    let head = [
        "group",
        "kind",
        "score",
        "label_conflict",
        "across_splits",
        "path",
        "class",
        "split",
        "width_px",
        "height_px",
        "size_bytes",
        "keep",
        "why",
        "goes_with",
    ];
    table.write_record(head).expect("memory takes what is written");
    for (number, group) in (1..).zip(&answer.found.groups) {
        for member in &group.members {
            let (record, facts) =
                (answer.record(member), &answer.picture(member.picture).measured.facts);
            let kind = member.kind.map_or("", Kind::name);
            let score = member.score.map_or(String::new(), |score| format!("{score:.4}"));
            let row = [
                number.to_string(),
                kind.to_owned(),
                score,
                group.label_conflict.to_string(),
                group.across_splits.to_string(),
                answer.path(member.picture),
                record.class().unwrap_or_default().to_owned(),
                record.split().unwrap_or_default().to_owned(),
                facts.width_px.to_string(),
                facts.height_px.to_string(),
                record.size_bytes.to_string(),
                member.keep.to_string(),
                if member.keep { reason(group.why).to_owned() } else { String::new() },
                member.through.map_or(String::new(), |through| answer.path(through)),
            ];
            table.write_record(row).expect("memory takes what is written");
        }
    }
    text(table)
}

/// The verified pairs: CSV with the columns `path_a`, `path_b`, `kind`, `score`. Of two collections
/// `path_a` is below the first and `path_b` below the second.
pub fn pairs(answer: &Duplicates<'_>) -> Vec<u8> {
    let mut table = csv::Writer::from_writer(Vec::new());
    table
        .write_record(["path_a", "path_b", "kind", "score"])
        .expect("memory takes what is written");
    for Pair { a, b, kind, score } in answer.pairs() {
        let path = |number: &u32| answer.picture(*number).record.path.as_str();
        let row = [path(a), path(b), kind.name(), &format!("{score:.4}")];
        table.write_record(row).expect("memory takes what is written");
    }
    text(table).into_bytes()
}

fn text(table: csv::Writer<Vec<u8>>) -> String {
    let bytes = table.into_inner().expect("memory takes what is written");
    String::from_utf8(bytes).expect("paths are written as text")
}
