//! `leakage` as tables.

use sieve_core::csv_escape;

use super::Leaks;
use crate::present::table::written;

/// One row a pair of images that are in two splits.
pub fn csv(answer: &Leaks<'_>) -> String {
    let head =
        ["path_a", "split_a", "class_a", "path_b", "split_b", "class_b", "kind", "score", "direct"];
    let rows = answer.leakage.cross_split_pairs.iter().map(|pair| {
        let side = |image: u32| {
            let record = answer.record(image);
            let text = |name: Option<&str>| name.unwrap_or_default().to_owned();
            [csv_escape::of_path(&record.path), text(record.split()), text(record.class())]
        };
        let ([path_a, split_a, class_a], [path_b, split_b, class_b]) = (side(pair.a), side(pair.b));
        let (kind, score) = (pair.reason.name().to_owned(), format!("{:.4}", pair.score));
        let direct = pair.is_direct.to_string();
        [path_a, split_a, class_a, path_b, split_b, class_b, kind, score, direct]
    });
    written(&head, rows)
}

/// One row an image to remove, with the match that stays.
pub fn removals(answer: &Leaks<'_>) -> Vec<u8> {
    let rows = answer.leakage.removals.iter().map(|removal| {
        let (goes, stays) = (answer.record(removal.image), answer.record(removal.cause));
        let text = |name: Option<&str>| name.unwrap_or_default().to_owned();
        [
            csv_escape::of_path(&goes.path),
            text(goes.split()),
            text(goes.class()),
            csv_escape::of_path(&stays.path),
            text(stays.split()),
            removal.reason.name().to_owned(),
        ]
    });
    let head = ["path", "split", "class", "cause", "cause_split", "kind"];
    written(&head, rows).into_bytes()
}
