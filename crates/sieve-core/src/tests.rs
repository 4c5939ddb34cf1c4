//! What the tests of several modules share: catalogs made up without a file.

use crate::catalog::{CacheStats, Catalog};
use crate::collection::{Collection, Label, Locator, Place, split_rank};
use crate::duplicates::{DuplicateReport, Group, ImageRef, Kind, Member, Pair, Reach};
use crate::files::RelPath;
use crate::measuring::{Digest, Fingerprint, ImageMeasures, Measured};
use crate::reading::{ColourMode, Facts, Format};
use crate::record::{Outcome, Reason, Record};

/// An image at `path` whose bytes are recognised by `content`. `train/sage/a.jpg` lies in a split,
/// `sage/a.jpg` in none, `a.jpg` in no class.
pub fn image(path: &str, content: u64) -> Record {
    let facts = Facts {
        format: Format::Jpeg,
        width_px: 640,
        height_px: 480,
        colour: ColourMode::Rgb,
        bits: 8,
        frames: 1,
        orientation: 1,
        profile: None,
        captured: None,
        camera: None,
    };
    let digest = Digest::of_bytes(&content.to_le_bytes());
    let measured = Measured {
        digest,
        facts,
        read_warnings: Vec::new(),
        measures: ImageMeasures::default(),
        fingerprint: Fingerprint::default(),
        small_pixels: None,
    };
    record(path, Outcome::Image(measured))
}

/// A file at `path` that is no image.
pub fn stray(path: &str) -> Record {
    record(path, Outcome::SetAside(Reason::Stray(None)))
}

fn record(path: &str, outcome: Outcome) -> Record {
    let parts: Vec<&str> = path.split('/').collect();
    let (split, label) = match parts.as_slice() {
        [split, class, _] => (Some((*split).into()), Label::Class((*class).into())),
        [class, _] => (None, Label::Class((*class).into())),
        _ => (None, Label::Outside),
    };
    Record {
        path: RelPath::new(path.as_ref()),
        place: Place::new(split, label),
        size_bytes: 1000,
        outcome,
        at: Locator::default(),
    }
}

/// The catalog of these records; a class folder for each class, and for each of `empty`.
pub fn catalog(mut records: Vec<Record>, empty: &[&str]) -> Catalog {
    records.sort_by(|a, b| a.path.cmp(&b.path));
    let filled = records
        .iter()
        .filter_map(|record| Some((record.split().map(str::to_owned), record.class()?.to_owned())));
    let empty = empty.iter().map(|class| (None, (*class).to_owned()));
    let class_folders = filled.chain(empty).collect();
    let mut collection = Collection::default();
    collection.class_folders = class_folders;
    collection.splits =
        records.iter().filter_map(|record| record.split().map(str::to_owned)).collect();
    collection.splits.sort_by_key(|split| (split_rank(split), split.clone()));
    collection.splits.dedup();
    Catalog { collection, records, cache: CacheStats::default() }
}

/// Images that all differ: `count` in each of the classes.
pub fn classes(sizes: &[(&str, u64)]) -> Vec<Record> {
    let mut content = 0;
    let mut records = Vec::new();
    for (class, count) in sizes {
        for number in 0..*count {
            content += 1;
            records.push(image(&format!("{class}/{number:04}.jpg"), content));
        }
    }
    records
}

/// What was found in `catalog`: these groups, of which every two images were compared.
pub fn found<'a>(catalog: &'a Catalog, groups: &[(Kind, &[&str])]) -> DuplicateReport<'a> {
    let images: Vec<ImageRef<'a>> = (0..)
        .zip(&catalog.records)
        .filter_map(|(index, record)| {
            Some(ImageRef { record, measured: record.image()?, collection: 0, index })
        })
        .collect();
    let number = |path: &&str| {
        let mut places = (0u32..).zip(&images);
        places.find(|(_, image)| image.record.path.as_str() == *path).expect("it is there").0
    };
    let (mut pairs, mut listed) = (Vec::new(), Vec::new());
    for &(kind, paths) in groups {
        let members: Vec<u32> = paths.iter().map(number).collect();
        for (place, &a) in members.iter().enumerate() {
            let others = members[place + 1..].iter();
            pairs.extend(others.map(|&b| Pair {
                a: a.min(b),
                b: a.max(b),
                kind,
                // Of variants it is the chance that they are copies after all.
                score: if kind.is_variant() { 0.1 } else { 0.96 },
                is_replayed: kind.is_duplicate(),
            }));
        }
        let records = || members.iter().map(|&member| images[member as usize].record);
        let differ = |name: fn(&Record) -> Option<&str>| {
            records().filter_map(name).collect::<std::collections::BTreeSet<_>>().len() > 1
        };
        let member = |&image: &u32| Member {
            image,
            makes: 0,
            keep: !kind.is_duplicate() || image == members[0],
            kind: Some(kind),
            score: Some(0.96),
            content_px: 64 * 48,
            least_bytes: match kind {
                Kind::SameBytes | Kind::SamePixels => 0,
                _ => images[image as usize].record.size_bytes,
            },
            departures: 0,
        };
        listed.push(Group {
            kind,
            score: 0.96,
            label_conflict: differ(Record::class),
            across_splits: differ(Record::split),
            members: members.iter().map(member).collect(),
            keep_reason: None,
        });
    }
    pairs.sort_by_key(|pair| (pair.a, pair.b));
    let by_name = Vec::new();
    DuplicateReport {
        images,
        pairs,
        groups: listed,
        by_name,
        reach: Reach::Wide,
        level: None,
        small: 0,
    }
}

/// The record at `path`, to be changed.
pub fn change<'a>(records: &'a mut [Record], path: &str) -> &'a mut Measured {
    let record = records.iter_mut().find(|record| record.path.as_str() == path);
    match &mut record.expect("it is there").outcome {
        Outcome::Image(measured) => measured,
        Outcome::SetAside(_) => panic!("{path} is no picture"),
    }
}
