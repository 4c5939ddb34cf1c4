//! `leakage` as tables.

use sieve_core::cell;

use super::Leaks;
use crate::present::table::written;

/// One row a pair of pictures that are in two splits.
pub fn csv(answer: &Leaks<'_>) -> String {
    let head =
        ["path_a", "split_a", "class_a", "path_b", "split_b", "class_b", "kind", "score", "direct"];
    let rows = answer.leakage.cross_split_pairs.iter().map(|twin| {
        let side = |image: u32| {
            let record = answer.record(image);
            let text = |name: Option<&str>| name.unwrap_or_default().to_owned();
            [cell::of_path(&record.path), text(record.split()), text(record.class())]
        };
        let ([path_a, split_a, class_a], [path_b, split_b, class_b]) = (side(twin.a), side(twin.b));
        let (kind, score) = (twin.reason.name().to_owned(), format!("{:.4}", twin.score));
        let direct = twin.is_direct.to_string();
        [path_a, split_a, class_a, path_b, split_b, class_b, kind, score, direct]
    });
    written(&head, rows)
}

/// One row a picture to remove, with the twin that stays.
pub fn removals(answer: &Leaks<'_>) -> Vec<u8> {
    let rows = answer.leakage.removals.iter().map(|removal| {
        let (goes, stays) = (answer.record(removal.image), answer.record(removal.cause));
        let text = |name: Option<&str>| name.unwrap_or_default().to_owned();
        [
            cell::of_path(&goes.path),
            text(goes.split()),
            text(goes.class()),
            cell::of_path(&stays.path),
            text(stays.split()),
            removal.reason.name().to_owned(),
        ]
    });
    let head = ["path", "split", "class", "because_of", "because_of_split", "kind"];
    written(&head, rows).into_bytes()
}
