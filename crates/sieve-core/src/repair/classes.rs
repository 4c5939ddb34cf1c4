//! Rules about classes.

use std::collections::{BTreeMap, BTreeSet};

use super::builder::{Draft, RowReason};
use super::rules::Rule;
use crate::finding::{Code, Evidence};

/// Only some classes are wanted.
pub fn chosen(draft: &mut Draft<'_>) {
    let Some(wanted) = &draft.wishes.classes else { return };
    // Of a class that goes no file stays, also none that gives no image.
    for (record, class) in draft.files().collect::<Vec<_>>() {
        if !wanted.contains(&class) {
            draft.drop(
                record,
                RowReason::new(
                    Rule::Classes,
                    format!("its class {class:?} is not listed by --classes"),
                ),
            );
        }
    }
}

/// Classes whose names are one.
pub fn spellings(draft: &mut Draft<'_>) {
    let counts = counts(draft);
    let alike =
        draft.subject.findings.iter().filter(|finding| finding.code == Code::ClassNamesAlike);
    for finding in alike {
        let texts = |name: &str| match finding.evidence.get(name) {
            Some(Evidence::Names(texts)) => texts.clone(),
            _ => Vec::new(),
        };
        let (names, differ_by) = (texts("classes"), texts("differ_by").join(", "));
        let count = |name: &String| counts.get(name.as_str()).copied().unwrap_or(0);
        // Of classes as large as each other the first by name.
        let Some(into) = names.iter().rev().max_by_key(|name| count(name)).cloned() else {
            continue;
        };
        let others: BTreeSet<&String> = names.iter().filter(|name| **name != into).collect();
        for (record, class) in draft.images().collect::<Vec<_>>() {
            if others.contains(&class) {
                let reason = format!(
                    "{class:?} is probably {into:?} ({differ_by}), which has {} images compared with its {}",
                    count(&into),
                    count(&class)
                );
                draft.relabel(
                    record,
                    &into,
                    RowReason {
                        group: format!("class {class}"),
                        ..RowReason::new(Rule::Spellings, reason)
                    },
                );
            }
        }
    }
}

/// Images of each class, as it is so far.
fn counts(draft: &Draft<'_>) -> BTreeMap<String, usize> {
    let mut counts = BTreeMap::new();
    draft.images().for_each(|(_, class)| *counts.entry(class).or_default() += 1);
    counts
}

/// Classes get the names that a table gives them.
pub fn names(draft: &mut Draft<'_>) {
    let Some(renames) = &draft.wishes.renames else { return };
    let known: BTreeSet<String> = draft.subject.catalog.collection.classes().into_iter().collect();
    draft.unnamed =
        known.iter().filter(|class| !renames.names.contains_key(*class)).cloned().collect();
    draft.unused = renames.names.keys().filter(|name| !known.contains(*name)).cloned().collect();
    for (record, class) in draft.images().collect::<Vec<_>>() {
        if let Some(to) = renames.names.get(&class) {
            draft.relabel(
                record,
                to,
                RowReason {
                    group: format!("class {class}"),
                    ..RowReason::new(Rule::Names, format!("the table calls {class:?} {to:?}"))
                },
            );
        }
    }
}

/// Classes that are too small go, or become one.
pub fn floor(draft: &mut Draft<'_>) {
    let Some(floor) = &draft.wishes.min_images else { return };
    let counts = counts(draft);
    for (record, class) in draft.files().collect::<Vec<_>>() {
        let count = counts.get(&class).copied().unwrap_or(0);
        if count >= floor.images || floor.into.as_ref() == Some(&class) {
            continue;
        }
        let reason = format!("{class:?} has {count} images; the minimum is {}", floor.images);
        let said =
            RowReason { group: format!("class {class}"), ..RowReason::new(Rule::Floor, reason) };
        match &floor.into {
            Some(into) if record.image().is_some() => draft.relabel(record, into, said),
            Some(_) => {}
            // Of a class that goes no file stays, also none that gives no image.
            None => draft.drop(record, said),
        }
    }
}
