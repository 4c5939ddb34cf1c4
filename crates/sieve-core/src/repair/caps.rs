//! Which images of a class stay where it has too many: by chance, and from as many folders, moments and groups as there are.

use std::collections::{BTreeMap, HashMap, VecDeque};

use super::builder::{Draft, RowReason};
use super::request::Cap;
use super::rules::Rule;
use crate::independent::IndependentGroups;
use crate::record::Record;
use crate::seeded_order;

/// The split that is capped: what is measured on others stays what it is.
const TRAIN: &str = "train";

/// Drops what a class has too many.
pub fn cap(draft: &mut Draft<'_>) {
    let Some(cap) = draft.wishes.cap else { return };
    let has_train = draft.subject.catalog.collection.splits.iter().any(|split| split == TRAIN);
    let mut classes: BTreeMap<String, Vec<&Record>> = BTreeMap::new();
    for (record, class) in draft.images() {
        if !has_train || record.split() == Some(TRAIN) {
            classes.entry(class).or_default().push(record);
        }
    }
    let most = match cap {
        Cap::Images(images) => images,
        Cap::Smallest => classes.values().map(Vec::len).min().unwrap_or(0),
    };
    let units = IndependentGroups::with_groups(draft.subject.found);
    let unit_of: BTreeMap<&str, u32> = (draft.subject.found.images.iter().enumerate())
        .map(|(number, image)| (image.record.path.as_str(), units.unit(number)))
        .collect();
    for (class, records) in classes {
        let count = records.len();
        // What a person decides on counts, and stays.
        let (free, open): (Vec<&Record>, Vec<&Record>) = records
            .into_iter()
            .partition(|record| draft.is_free(record) && !draft.is_protected(record));
        let order = spread(free, &unit_of, draft.wishes.seed);
        let reason = format!(
            "{class:?} has {count} images; capped at {most}, sampled with seed {}",
            draft.wishes.seed
        );
        for record in order.into_iter().skip(most.saturating_sub(open.len())) {
            draft.drop(
                record,
                RowReason {
                    group: format!("class {class}"),
                    ..RowReason::new(Rule::Cap, reason.clone())
                },
            );
        }
    }
}

/// The images in the order in which they are taken: from one folder after the other, in each of them from one unit
/// after the other, in each of those one by one. What comes first is drawn from the seed and the bytes of the files, so
/// that names decide nothing.
fn spread<'a>(
    records: Vec<&'a Record>,
    unit_of: &BTreeMap<&str, u32>,
    seed: u64,
) -> Vec<&'a Record> {
    let mut keyed: Vec<([u8; 32], &Record)> = records
        .into_iter()
        .map(|record| {
            let digest = record.image().map(|measured| measured.digest.0).unwrap_or_default();
            (seeded_order::key(seed, &digest), record)
        })
        .collect();
    keyed.sort_by(|a, b| (a.0, &a.1.path).cmp(&(b.0, &b.1.path)));
    // Folders and units in the order of their first images.
    let mut folders: Vec<VecDeque<VecDeque<&Record>>> = Vec::new();
    let (mut folder_at, mut unit_at) = (HashMap::new(), HashMap::new());
    for (_, record) in &keyed {
        let folder = *folder_at.entry(record.path.folder()).or_insert_with(|| {
            folders.push(VecDeque::new());
            folders.len() - 1
        });
        let units = &mut folders[folder];
        let fresh = units.len();
        let at = match unit_of.get(record.path.as_str()) {
            Some(&unit) => *unit_at.entry((folder, unit)).or_insert(fresh),
            None => fresh,
        };
        if at == fresh {
            units.push_back(VecDeque::new());
        }
        units[at].push_back(*record);
    }
    let mut order = Vec::with_capacity(keyed.len());
    while order.len() < keyed.len() {
        for units in &mut folders {
            let Some(mut images) = units.pop_front() else { continue };
            order.extend(images.pop_front());
            if !images.is_empty() {
                units.push_back(images);
            }
        }
    }
    order
}
