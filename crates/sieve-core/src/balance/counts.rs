//! How many images each class and split holds.

use std::collections::BTreeMap;

use serde::Serialize;

use super::labelled;
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::statistics::Diversity;

/// How many images one class holds.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ClassCount {
    /// The class.
    pub class: String,
    /// Its files.
    pub images: u64,
    /// Its independent images.
    pub independent: u64,
    /// Its share of all files in a class, 0 to 1.
    pub share: f64,
    /// The same of each split, in their order.
    pub splits: Vec<SplitCount>,
    /// Files that it lacks to reach the floor.
    pub shortfall: u64,
    /// Independent images that it lacks to reach the floor.
    pub shortfall_independent: u64,
}

/// How many images of a class lie in one split.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct SplitCount {
    /// The split.
    pub split: String,
    /// Files.
    pub images: u64,
    /// Independent images.
    pub independent: u64,
    /// Share of the split's files in a class, 0 to 1.
    pub share: f64,
}

impl ClassCount {
    /// Its files in a split, or in all.
    pub fn images_in(&self, split: Option<&str>) -> u64 {
        let Some(split) = split else { return self.images };
        self.splits.iter().find(|count| count.split == split).map_or(0, |count| count.images)
    }
}

/// A class and how many images it holds.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Largest {
    /// The class.
    pub class: String,
    /// Its images.
    pub images: u64,
}

/// How the images of a split, or of the collection, are spread over the classes.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Spread {
    /// Images in a class.
    pub images: u64,
    /// The numbers.
    #[serde(flatten)]
    pub diversity: Diversity,
    /// The largest class, of equals the first by name.
    pub largest: Largest,
    /// The smallest class that holds any, of equals the first by name.
    pub smallest: Largest,
}

/// The collection or one split.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Scope {
    /// The split; none for the whole collection.
    pub split: Option<String>,
    /// Counted as files.
    pub files: Spread,
    /// Counted as independent images. Their number is that of the collection; an image that is in
    /// two classes counts to both of them.
    pub independent: Spread,
}

/// The counts of all `classes`, without what they lack.
pub(super) fn classes(
    classes: &[String],
    splits: &[String],
    found: &DuplicateReport<'_>,
    units: &IndependentGroups,
    floor: u64,
) -> Vec<ClassCount> {
    let mut members: BTreeMap<&str, Vec<usize>> =
        classes.iter().map(|class| (class.as_str(), Vec::new())).collect();
    let mut of_split: BTreeMap<&str, u64> = BTreeMap::new();
    let split_of = |number: usize| found.images[number].record.split();
    for (number, class) in labelled(found) {
        members.entry(class).or_default().push(number);
        *of_split.entry(split_of(number).unwrap_or_default()).or_default() += 1;
    }
    let all: u64 = of_split.values().sum();
    let share = |part: usize, of: u64| if of == 0 { 0.0 } else { part as f64 / of as f64 };
    let count = |(class, numbers): (&str, Vec<usize>)| {
        let independent = units.count(numbers.iter().copied());
        let splits = splits.iter().map(|split| {
            let here: Vec<usize> =
                numbers.iter().copied().filter(|&n| split_of(n) == Some(split)).collect();
            SplitCount {
                split: split.clone(),
                images: here.len() as u64,
                share: share(here.len(), of_split.get(split.as_str()).copied().unwrap_or(0)),
                independent: units.count(here),
            }
        });
        ClassCount {
            splits: splits.collect(),
            images: numbers.len() as u64,
            share: share(numbers.len(), all),
            shortfall: floor.saturating_sub(numbers.len() as u64),
            shortfall_independent: floor.saturating_sub(independent),
            independent,
            class: class.to_owned(),
        }
    };
    members.into_iter().map(count).collect()
}

/// The spread of the collection and of each split over the classes that were counted.
pub(super) fn scopes(
    splits: &[String],
    classes: &[ClassCount],
    found: &DuplicateReport<'_>,
    units: &IndependentGroups,
) -> Vec<Scope> {
    let scope = |split: Option<&String>| {
        let here = labelled(found).filter(|(number, _)| {
            split.is_none_or(|split| found.images[*number].record.split() == Some(split))
        });
        let independent = units.count(here.map(|(number, _)| number));
        let counts = |of: fn(&SplitCount) -> u64, all: fn(&ClassCount) -> u64| {
            let of_class = |class: &ClassCount| match split {
                None => all(class),
                Some(split) => class.splits.iter().find(|c| c.split == *split).map_or(0, of),
            };
            classes.iter().map(|class| (class.class.as_str(), of_class(class))).collect::<Vec<_>>()
        };
        let files = counts(|count| count.images, |class| class.images);
        let total = files.iter().map(|(_, images)| images).sum();
        Some(Scope {
            split: split.cloned(),
            files: spread(&files, total)?,
            independent: spread(
                &counts(|count| count.independent, |class| class.independent),
                independent,
            )?,
        })
    };
    [None].into_iter().chain(splits.iter().map(Some)).filter_map(scope).collect()
}

fn spread(counts: &[(&str, u64)], images: u64) -> Option<Spread> {
    let diversity = Diversity::new(counts.iter().map(|&(_, images)| images))?;
    let named = |&(class, images): &(&str, u64)| Largest { class: class.to_owned(), images };
    let filled = || counts.iter().filter(|(_, images)| *images > 0);
    // The first of equals, both times.
    let largest = filled().rev().max_by_key(|(_, images)| *images).map(named)?;
    let smallest = filled().min_by_key(|(_, images)| *images).map(named)?;
    Some(Spread { images, diversity, largest, smallest })
}
