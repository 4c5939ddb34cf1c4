//! Are the splits runs of the file list, cut where they should have been shuffled?

use std::collections::{BTreeMap, BTreeSet};

use crate::collection::{Collection, split_of_name};
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::statistics::Runs;

/// Whether the splits follow each other in the list of files.
#[derive(Clone, Debug, PartialEq)]
pub struct Order {
    /// Runs of images of one split, in the files of each class in the order of their names.
    pub runs: u64,
    /// As many as a shuffle gives on average.
    pub expected: f64,
    /// The chance of so few after a shuffle, 0 to 1.
    pub p: f64,
    /// The same, corrected for all tests between the splits.
    pub p_corrected: f64,
    /// Whether there are fewer than half of the runs of a shuffle, and by no chance.
    pub is_cut: bool,
}

/// A file's name as people sort it: numbers by their value; names of splits, which would sort by
/// split what was shuffled, left out.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct Name(Vec<Part>);

#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum Part {
    Number(u128),
    Text(String),
}

impl Name {
    fn new(name: &str, splits: &BTreeSet<&str>) -> Self {
        let name = name.to_lowercase();
        let of_kind = |c: char| (c.is_ascii_digit(), c.is_alphabetic());
        let mut parts: Vec<Part> = Vec::new();
        let mut rest = name.as_str();
        while let Some(first) = rest.chars().next() {
            let kind = of_kind(first);
            let end = rest.find(|c| of_kind(c) != kind).unwrap_or(rest.len());
            let (word, left) = rest.split_at(end);
            rest = left;
            if splits.contains(word) || split_of_name(word).is_some() {
                continue;
            }
            let number = if kind.0 { word.parse().ok() } else { None };
            parts.push(number.map_or_else(|| Part::Text(word.to_owned()), Part::Number));
        }
        Name(parts)
    }
}

/// Names and splits of what stays together, by its unit and split.
type Files = BTreeMap<(u32, usize), (Name, usize)>;

pub(super) fn order(collection: &Collection, found: &DuplicateReport<'_>) -> Option<Order> {
    let names: Vec<String> = collection.splits.iter().map(|split| split.to_lowercase()).collect();
    let names: BTreeSet<&str> = names.iter().map(String::as_str).collect();
    let units = IndependentGroups::with_groups(found);
    // What stays together is one thing in the list: keeping it together is no lack of a shuffle.
    let mut of_class: BTreeMap<&str, Files> = BTreeMap::new();
    for (number, image) in found.images.iter().enumerate() {
        let record = image.record;
        let (Some(class), Some(split)) = (record.class(), record.split()) else { continue };
        let Some(split) = collection.splits.iter().position(|name| name == split) else { continue };
        let name = Name::new(record.path.file_name(), &names);
        let files = of_class.entry(class).or_default();
        files.entry((units.unit(number), split)).or_insert((name, split));
    }
    let mut runs = Runs::default();
    for files in of_class.into_values() {
        let mut files: Vec<(Name, usize)> = files.into_values().collect();
        files.sort();
        runs.add(&files.iter().map(|&(_, split)| split).collect::<Vec<_>>());
    }
    let test = runs.test()?;
    Some(Order {
        runs: test.observed,
        expected: test.expected,
        p: test.p,
        p_corrected: 1.0,
        is_cut: false,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_sorted_as_people_do() {
        let splits = BTreeSet::from(["train", "fold one"]);
        let name = |text: &str| Name::new(text, &splits);
        assert!(name("sage-9.jpg") < name("sage-10.jpg"));
        assert!(name("Sage-2.jpg") < name("sage-10.jpg"));
        // The split in a name does not decide its place.
        assert!(name("train_0007.jpg") == name("val_0007.jpg"));
        assert!(name("sage_test_3.jpg") < name("sage_train_4.jpg"));
        assert!(name("trainer.jpg") != name("er.jpg"));
    }
}
