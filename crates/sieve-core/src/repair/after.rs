//! What a collection is like once a plan is carried out, without reading anything again.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use super::changes::{Changes, Edit, FileOutcome};
use crate::catalog::{CacheStats, Catalog};
use crate::collection::Label;
use crate::duplicates::{DuplicateReport, Group, ImageRef, Pair};
use crate::files::RelPath;
use crate::finding::{Code, Finding};
use crate::reading::Format;
use crate::record::{Outcome, Record};

/// The catalog of the collection after `changes`.
pub fn repaired(catalog: &Catalog, changes: &Changes) -> Catalog {
    let fates: HashMap<usize, _> =
        changes.changed.iter().map(|change| (change.record, change)).collect();
    let mut records: Vec<Record> = Vec::with_capacity(catalog.records.len());
    for (at, record) in catalog.records.iter().enumerate() {
        let Some(change) = fates.get(&at) else {
            records.push(record.clone());
            continue;
        };
        let FileOutcome::Put(place, edit) = &change.fate else { continue };
        let mut record = record.clone();
        record.path = RelPath::new(place.as_path());
        if let Some(class) = &change.class {
            record.place.label = Label::Class(Arc::from(class.as_str()));
        }
        if let (Edit::Png, Outcome::Image(measured)) = (edit, &mut record.outcome) {
            measured.facts.format = Format::Png;
            measured.facts.orientation = 1;
        }
        records.push(record);
    }
    records.sort_by(|a, b| a.path.cmp(&b.path));
    let mut collection = catalog.collection.without_files();
    // Folders that were emptied go with their last image; those that were empty before stay.
    let classes = |records: &[Record]| -> BTreeSet<(Option<String>, String)> {
        let images = records.iter().filter(|record| record.image().is_some());
        let of =
            |record: &Record| Some((record.split().map(str::to_owned), record.class()?.to_owned()));
        images.filter_map(of).collect()
    };
    let (before, after) = (classes(&catalog.records), classes(&records));
    collection.class_folders.retain(|folder| !before.contains(folder) || after.contains(folder));
    collection.class_folders.extend(after);
    Catalog { collection, records, cache: CacheStats::default() }
}

/// What was found between the images that are left, as far as it was known before: groups become smaller, and one
/// image alone is none.
pub fn found_after<'a>(
    found: &DuplicateReport<'_>,
    before: &Catalog,
    changes: &Changes,
    after: &'a Catalog,
) -> DuplicateReport<'a> {
    let places: HashMap<&RelPath, usize> =
        after.records.iter().enumerate().map(|(at, record)| (&record.path, at)).collect();
    let fates: HashMap<&RelPath, &FileOutcome> = changes
        .changed
        .iter()
        .map(|change| (&before.records[change.record].path, &change.fate))
        .collect();
    let mut numbers: Vec<Option<u32>> = vec![None; found.images.len()];
    let mut images: Vec<(usize, usize)> = Vec::new();
    for (old, image) in found.images.iter().enumerate() {
        let path = match fates.get(&image.record.path) {
            None => image.record.path.clone(),
            Some(FileOutcome::Put(place, _)) => RelPath::new(place.as_path()),
            Some(FileOutcome::Drop) => continue,
        };
        if let Some(&at) = places.get(&path) {
            images.push((at, old));
        }
    }
    images.sort_unstable();
    images.iter().enumerate().for_each(|(number, (_, old))| numbers[*old] = Some(number as u32));
    let new = |old: u32| numbers[old as usize];
    let image = |&(at, _): &(usize, usize)| {
        let record = &after.records[at];
        Some(ImageRef { record, measured: record.image()?, collection: 0, index: at })
    };
    let images: Vec<ImageRef<'a>> = images.iter().filter_map(image).collect();
    let pair = |pair: &Pair| {
        let (a, b) = (new(pair.a)?, new(pair.b)?);
        Some(Pair { a: a.min(b), b: a.max(b), ..*pair })
    };
    let mut pairs: Vec<Pair> = found.pairs.iter().filter_map(pair).collect();
    pairs.sort_by_key(|pair| (pair.a, pair.b));
    let group = |group: &Group| {
        let members = group.members.iter();
        let members = members.filter_map(|member| {
            Some(crate::duplicates::Member { image: new(member.image)?, ..*member })
        });
        let members: Vec<_> = members.collect();
        let differ = |name: fn(&Record) -> Option<&str>| {
            let names =
                members.iter().filter_map(|member| name(images[member.image as usize].record));
            names.collect::<BTreeSet<_>>().len() > 1
        };
        let (label_conflict, across_splits) = (differ(Record::class), differ(Record::split));
        (members.len() > 1).then(|| Group {
            label_conflict,
            across_splits,
            members,
            ..group.clone()
        })
    };
    let groups: Vec<Group> = found.groups.iter().filter_map(group).collect();
    let mut by_name: Vec<(u32, u32)> = found
        .by_name
        .iter()
        .filter_map(|&(a, b)| {
            let (a, b) = (new(a)?, new(b)?);
            Some((a.min(b), a.max(b)))
        })
        .collect();
    by_name.sort_unstable();
    DuplicateReport {
        images,
        pairs,
        groups,
        by_name,
        reach: found.reach,
        level: found.level,
        small: found.small,
    }
}

/// For each code the number of findings before and after, where it is another one.
pub fn difference(before: &[Finding], after: &[Finding]) -> BTreeMap<Code, (u64, u64)> {
    let mut counts: BTreeMap<Code, (u64, u64)> = BTreeMap::new();
    before.iter().for_each(|finding| counts.entry(finding.code).or_default().0 += 1);
    after.iter().for_each(|finding| counts.entry(finding.code).or_default().1 += 1);
    counts.retain(|_, (before, after)| before != after);
    counts
}
