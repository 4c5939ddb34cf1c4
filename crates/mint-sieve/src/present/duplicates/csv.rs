//! `duplicates` as tables.

use sieve_core::csv_escape;
use sieve_core::duplicates::{Kind, Pair};

use super::{Duplicates, kept_because};
use crate::present::table::written;

/// One row an image of a group.
pub fn csv(answer: &Duplicates<'_>) -> String {
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
    ];
    let mut rows = Vec::new();
    for (number, group) in (1..).zip(&answer.found.groups) {
        for member in &group.members {
            let (record, facts) =
                (answer.record(member), &answer.image(member.image).measured.facts);
            let kind = member.kind.map_or("", Kind::name);
            let score = member.score.map_or(String::new(), |score| format!("{score:.4}"));
            rows.push([
                number.to_string(),
                kind.to_owned(),
                score,
                group.label_conflict.to_string(),
                group.across_splits.to_string(),
                answer.path(member.image),
                record.class().unwrap_or_default().to_owned(),
                record.split().unwrap_or_default().to_owned(),
                facts.width_px.to_string(),
                facts.height_px.to_string(),
                record.size_bytes.to_string(),
                member.keep.to_string(),
                kept_because(group, member).unwrap_or_default().to_owned(),
            ]);
        }
    }
    written(&head, rows)
}

/// The verified pairs: CSV with the columns `path_a`, `path_b`, `kind`, `score`. Of two collections
/// `path_a` is below the first and `path_b` below the second.
pub fn pairs(answer: &Duplicates<'_>) -> Vec<u8> {
    let rows = answer.pairs().map(|Pair { a, b, kind, score, .. }| {
        let path = |number: &u32| csv_escape::of_path(&answer.image(*number).record.path);
        [path(a), path(b), kind.name().to_owned(), format!("{score:.4}")]
    });
    written(&["path_a", "path_b", "kind", "score"], rows).into_bytes()
}
