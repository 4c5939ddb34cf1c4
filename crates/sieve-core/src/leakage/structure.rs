//! Do the splits have the same classes, in the same order?

use std::collections::{BTreeMap, BTreeSet};

use crate::collection::Collection;

/// A class that not every split has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MissingClass {
    /// The class.
    pub class: String,
    /// Splits with a folder of it.
    pub present: Vec<String>,
    /// Splits without.
    pub missing: Vec<String>,
}

/// Two splits in which a class has different numbers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct IndexMismatch {
    /// The split that others are compared with: the first.
    pub split: String,
    /// The other.
    pub other: String,
    /// Classes that both have and that have another number, from 0, in the sorted list of each:
    /// class, number in the first, number in the other.
    pub moved: Vec<(String, usize, usize)>,
    /// Pairs of folders that are one name with different numbers written before it: `03 sage` and
    /// `04 sage`.
    pub renumbered: Vec<(String, String)>,
}

/// The classes of each split with any, in the order of the splits; sorted, as loaders number them.
fn classes_by_split(collection: &Collection) -> Vec<(&String, BTreeSet<&str>)> {
    let of_split = |split: &String| {
        let folders = collection.class_folders.iter();
        let here = folders.filter(|(there, _)| there.as_ref() == Some(split));
        here.map(|(_, class)| class.as_str()).collect::<BTreeSet<_>>()
    };
    let splits = collection.splits.iter().map(|split| (split, of_split(split)));
    splits.filter(|(_, classes)| !classes.is_empty()).collect()
}

pub(super) fn missing(collection: &Collection) -> Vec<MissingClass> {
    let by_split = classes_by_split(collection);
    let all: BTreeSet<&str> =
        by_split.iter().flat_map(|(_, classes)| classes.iter().copied()).collect();
    let of = |class: &str| {
        let splits = |has: bool| {
            let those = by_split.iter().filter(|(_, classes)| classes.contains(class) == has);
            those.map(|(split, _)| (*split).clone()).collect::<Vec<_>>()
        };
        MissingClass { class: class.to_owned(), present: splits(true), missing: splits(false) }
    };
    all.into_iter().map(of).filter(|class| !class.missing.is_empty()).collect()
}

pub(super) fn index(collection: &Collection) -> Vec<IndexMismatch> {
    let by_split = classes_by_split(collection);
    let Some(((first, classes), others)) = by_split.split_first() else { return Vec::new() };
    let numbers = |classes: &BTreeSet<&str>| -> BTreeMap<String, usize> {
        classes.iter().enumerate().map(|(number, class)| ((*class).to_owned(), number)).collect()
    };
    let here = numbers(classes);
    let mismatch = |(other, there): &(&String, BTreeSet<&str>)| {
        let there = numbers(there);
        let moved: Vec<(String, usize, usize)> = here
            .iter()
            .filter_map(|(class, &a)| Some((class.clone(), a, *there.get(class)?)))
            .filter(|(_, a, b)| a != b)
            .collect();
        let lone = |these: &BTreeMap<String, usize>, those: &BTreeMap<String, usize>| {
            let lone = these.keys().filter(|class| !those.contains_key(*class));
            let named =
                lone.filter_map(|class| Some((name_behind_number(class)?.to_owned(), class)));
            named.map(|(name, class)| (name, class.clone())).collect::<BTreeMap<_, _>>()
        };
        let (ours, theirs) = (lone(&here, &there), lone(&there, &here));
        let renumbered: Vec<(String, String)> = ours
            .into_iter()
            .filter_map(|(name, class)| Some((class, theirs.get(&name)?.clone())))
            .collect();
        IndexMismatch { split: (*first).clone(), other: (*other).clone(), moved, renumbered }
    };
    let all = others.iter().map(mismatch);
    all.filter(|one| !one.moved.is_empty() || !one.renumbered.is_empty()).collect()
}

/// What stands behind the number that a name begins with: `sage` of `03_sage`. None where there is no
/// number or nothing behind it.
fn name_behind_number(class: &str) -> Option<&str> {
    let rest = class.trim_start().trim_start_matches(|c: char| c.is_ascii_digit());
    let has_number = rest.len() < class.trim_start().len();
    let name = rest.trim_start_matches(|c: char| !c.is_alphanumeric());
    let is_parted = name.len() < rest.len();
    (has_number && is_parted && !name.is_empty()).then_some(name)
}

#[cfg(test)]
mod tests {
    use super::name_behind_number;

    #[test]
    fn numbers_before_names() {
        assert_eq!(name_behind_number("03_sage"), Some("sage"));
        assert_eq!(name_behind_number("12. lemon balm"), Some("lemon balm"));
        assert_eq!((name_behind_number("sage"), name_behind_number("007")), (None, None));
        assert_eq!(name_behind_number("4th cut"), None);
    }
}
