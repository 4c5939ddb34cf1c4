//! What a collection holds, counted.

use std::collections::BTreeMap;

use crate::catalog::Catalog;
use crate::collection::split_rank;
use crate::measuring::Measured;
use crate::reading::{ColourMode, Format};

/// The counts of one collection. `files` = `images` + `set_aside`, always.
#[derive(Clone, Debug, PartialEq)]
pub struct Inventory {
    /// Entries that are no folders.
    pub files: u64,
    /// Files that are readable images.
    pub images: u64,
    /// Files that are not.
    pub set_aside: u64,
    /// Bytes of all files.
    pub bytes: u64,
    /// The classes, sorted, empty ones included.
    pub classes: Vec<String>,
    /// The splits: train, validation, test, then others by name. Empty when there are none.
    pub splits: Vec<String>,
    /// Images by split and class: every class folder, and what lies in none.
    pub counts: Vec<Count>,
    /// Width and height in pixels with the number of images, largest number first.
    pub sizes: Vec<((u32, u32), u64)>,
    /// Formats with the number of images, largest number first.
    pub formats: Vec<(Format, u64)>,
    /// Colour modes and bits a channel, largest number first.
    pub colours: Vec<((ColourMode, u8), u64)>,
    /// Embedded colour profiles by name, largest number first. Most images have none.
    pub profiles: Vec<(Box<str>, u64)>,
    /// Images with more than one frame.
    pub animated: u64,
    /// Images that lie deeper than their class folder; they count to it all the same.
    pub nested: u64,
    /// Images that are upright only once their EXIF orientation is applied.
    pub turned: u64,
    /// The same counts, by class and then by split.
    by_class: BTreeMap<String, BTreeMap<Option<String>, u64>>,
}

/// The images of one class in one split.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Count {
    /// The split; none in a collection without splits.
    pub split: Option<String>,
    /// The class; none for images that are not in a class folder.
    pub class: Option<String>,
    /// How many.
    pub images: u64,
}

impl Inventory {
    /// Images in `class`, over all splits.
    pub fn of_class(&self, class: &str) -> u64 {
        self.by_class.get(class).map_or(0, |splits| splits.values().sum())
    }

    /// Images in a class of `split`.
    pub fn of_split(&self, split: &str) -> u64 {
        self.sum(|count| count.split.as_deref() == Some(split))
    }

    /// Images of `class` in `split`; none where the split has no such folder.
    pub fn count(&self, split: &str, class: &str) -> Option<u64> {
        self.by_class.get(class)?.get(&Some(split.to_owned())).copied()
    }

    /// Images that lie in no class folder.
    pub fn unclassed(&self) -> u64 {
        self.sum(|count| count.class.is_none())
    }

    fn sum(&self, belongs: impl Fn(&Count) -> bool) -> u64 {
        self.counts.iter().filter(|count| belongs(count)).map(|count| count.images).sum()
    }
}

/// Counts what `catalog` holds.
pub fn inventory(catalog: &Catalog) -> Inventory {
    let files = catalog.records.len() as u64;
    let images = catalog.images().count() as u64;
    let counts = counts(catalog);
    let mut by_class: BTreeMap<String, BTreeMap<Option<String>, u64>> = BTreeMap::new();
    for Count { split, class, images } in &counts {
        if let Some(class) = class {
            by_class.entry(class.clone()).or_default().insert(split.clone(), *images);
        }
    }
    Inventory {
        files,
        images,
        set_aside: files - images,
        bytes: catalog.records.iter().map(|record| record.size_bytes).sum(),
        classes: catalog.collection.classes(),
        splits: catalog.collection.splits.clone(),
        counts,
        by_class,
        sizes: tally(catalog, |m| (m.facts.width_px, m.facts.height_px)),
        formats: tally(catalog, |m| m.facts.format),
        colours: tally(catalog, |m| (m.facts.colour, m.facts.bits)),
        profiles: tally(catalog, |m| m.facts.profile.as_ref())
            .into_iter()
            .filter_map(|(profile, images)| Some((profile?.clone(), images)))
            .collect(),
        animated: catalog.images().filter(|(_, m)| m.facts.frames > 1).count() as u64,
        nested: catalog.images().filter(|(record, _)| record.place.is_deeper).count() as u64,
        turned: catalog.images().filter(|(_, m)| m.facts.orientation > 1).count() as u64,
    }
}

fn counts(catalog: &Catalog) -> Vec<Count> {
    let folders = catalog.collection.class_folders.iter();
    let mut counts: BTreeMap<(Option<&str>, Option<&str>), u64> =
        folders.map(|(split, class)| ((split.as_deref(), Some(class.as_str())), 0)).collect();
    for (record, _) in catalog.images() {
        *counts.entry((record.split(), record.class())).or_default() += 1;
    }
    let mut counts: Vec<Count> = counts
        .into_iter()
        .map(|((split, class), images)| Count {
            split: split.map(str::to_owned),
            class: class.map(str::to_owned),
            images,
        })
        .collect();
    // Stable, so that splits beyond the three known ones stay in the order of their names.
    counts.sort_by_key(|count| count.split.as_deref().map(split_rank));
    counts
}

fn tally<'a, T: Ord>(catalog: &'a Catalog, key: impl Fn(&'a Measured) -> T) -> Vec<(T, u64)> {
    let mut tally: BTreeMap<T, u64> = BTreeMap::new();
    for (_, measured) in catalog.images() {
        *tally.entry(key(measured)).or_default() += 1;
    }
    let mut tally: Vec<(T, u64)> = tally.into_iter().collect();
    tally.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    tally
}
