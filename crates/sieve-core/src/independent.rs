//! INDEPENDENT PICTURES: copies and burst frames count once.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use crate::collection::made_from;
use crate::disjoint_sets::DisjointSets;
use crate::duplicates::{DuplicateReport, Kind};
use crate::record::Record;

/// Which images are one for all that can be learned or measured from them.
pub struct IndependentGroups {
    of: Vec<u32>,
}

impl IndependentGroups {
    /// Copies, in whatever way, and burst frames are one; variants and look-alikes are not.
    pub fn independent(found: &DuplicateReport<'_>) -> Self {
        Self::from_sets(joined(found))
    }

    /// The same, and what a table or name puts into one group is one too.
    pub fn with_groups(found: &DuplicateReport<'_>) -> Self {
        Self::joined_by_keys(found, true, std::iter::empty())
    }

    /// Those that are one by `with_copies`, what a table or name puts into one group, and each of `groups`.
    pub fn joined_by_keys<'a>(
        found: &DuplicateReport<'_>,
        with_copies: bool,
        groups: impl Iterator<Item = &'a [u32]>,
    ) -> Self {
        let mut sets =
            if with_copies { joined(found) } else { DisjointSets::new(found.images.len()) };
        let declared = declared(found);
        let mut join = |members: &[u32]| {
            members.iter().for_each(|&member| sets.union(members[0], member));
        };
        declared.values().for_each(|members| join(members));
        groups.for_each(join);
        Self::from_sets(sets)
    }

    fn from_sets(mut sets: DisjointSets) -> Self {
        IndependentGroups { of: (0..sets.len() as u32).map(|number| sets.find(number)).collect() }
    }

    /// The unit of the image with this number in [`DuplicateReport::images`]: the least number in it.
    pub fn unit(&self, image: usize) -> u32 {
        self.of[image]
    }

    /// How many independent images these are.
    pub fn count(&self, images: impl IntoIterator<Item = usize>) -> u64 {
        let units: BTreeSet<u32> = images.into_iter().map(|image| self.of[image]).collect();
        units.len() as u64
    }
}

/// How many images there are for all that can be learned from them, and why it is not all.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Independent {
    /// Images that count.
    pub images: u64,
    /// Copies that do not.
    pub copies: u64,
    /// Frames that do not, since another one was taken within seconds.
    pub frames_by_time: u64,
    /// Frames that do not, since their running names say that another one is of the same moment.
    pub frames_by_name: u64,
}

impl Independent {
    /// Of all images of `found`.
    pub fn new(found: &DuplicateReport<'_>) -> Self {
        let all = found.images.len();
        let count = |mut sets: DisjointSets| -> u64 {
            (0..all as u32).filter(|&one| sets.find(one) == one).count() as u64
        };
        let is_by_name = |a: u32, b: u32| found.by_name.binary_search(&(a, b)).is_ok();
        let copies = count(joined_by(found, Kind::is_duplicate, |_, _| true));
        let timed = count(joined_by(found, Kind::is_dependent, |a, b| !is_by_name(a, b)));
        let images = count(joined(found));
        Independent {
            images,
            copies: all as u64 - copies,
            frames_by_time: copies - timed,
            frames_by_name: timed - images,
        }
    }
}

/// The groups that a table or name declares: the numbers of their images, in order, by their names.
pub fn declared<'a>(found: &'a DuplicateReport<'_>) -> BTreeMap<&'a str, Vec<u32>> {
    let mut groups: BTreeMap<&str, Vec<u32>> = BTreeMap::new();
    for (number, image) in (0u32..).zip(&found.images) {
        if let Some(group) = image.record.place.group() {
            groups.entry(group).or_default().push(number);
        }
    }
    // What was made from an image is one with it, wherever that lies.
    let named = groups.keys().filter_map(|group| Some((made_from(group)?, *group)));
    let sources: BTreeMap<&str, &str> = named.collect();
    if !sources.is_empty() {
        for (number, image) in (0u32..).zip(&found.images) {
            if let Some(members) =
                sources.get(&*origin(image.record)).and_then(|group| groups.get_mut(group))
                && let Err(place) = members.binary_search(&number)
            {
                members.insert(place, number);
            }
        }
    }
    groups
}

/// The digest, as hexadecimal digits, of the image that this one was made from; its own where it was not made. Empty
/// for what is no image.
pub fn origin(record: &Record) -> Cow<'_, str> {
    match record.place.group().and_then(made_from) {
        Some(digest) => Cow::Borrowed(digest),
        None => {
            record.image().map_or(Cow::Borrowed(""), |image| Cow::Owned(image.digest.to_string()))
        }
    }
}

/// What pairs of some kinds join.
fn joined_by(
    found: &DuplicateReport<'_>,
    is_wanted: impl Fn(Kind) -> bool,
    allows: impl Fn(u32, u32) -> bool,
) -> DisjointSets {
    let mut sets = DisjointSets::new(found.images.len());
    // Of very many files with nearly the same pixels groups alone know all.
    for group in found.groups.iter().filter(|group| group.kind.is_duplicate()) {
        let first = group.members[0].image;
        group.members.iter().for_each(|member| sets.union(first, member.image));
    }
    for pair in found.pairs.iter().filter(|pair| is_wanted(pair.kind) && allows(pair.a, pair.b)) {
        sets.union(pair.a, pair.b);
    }
    sets
}

/// Copies and burst frames. A chain was cut into groups, and yet no part of it is independent of the others.
fn joined(found: &DuplicateReport<'_>) -> DisjointSets {
    joined_by(found, Kind::is_dependent, |_, _| true)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::collection::ExtraColumns;
    use crate::tests::{catalog, classes, found};

    #[test]
    fn groups_of_a_table_count_once_where_that_is_asked_for() {
        let mut records = classes(&[("sage", 6)]);
        for at in [1, 4] {
            let extra = ExtraColumns { group: Some("rack 3".into()), values: Vec::new() };
            records[at].place.extra = Some(Box::new(extra));
        }
        let catalog = catalog(records, &[]);
        let groups: [(Kind, &[&str]); 2] = [
            (Kind::Bordered, &["sage/0004.jpg", "sage/0005.jpg"]),
            (Kind::LookAlike, &["sage/0000.jpg", "sage/0001.jpg"]),
        ];
        let found = found(&catalog, &groups);
        assert_eq!(IndependentGroups::independent(&found).count(0..6), 5);
        let units = IndependentGroups::with_groups(&found);
        assert_eq!(units.count(0..6), 4);
        assert_eq!([1, 4, 5].map(|image| units.unit(image)), [1, 1, 1]);
        assert_eq!(units.count([0, 1, 4]), 2);
    }

    #[test]
    fn copies_and_the_two_sorts_of_frames_are_counted_apart() {
        let catalog = catalog(classes(&[("sage", 9)]), &[]);
        let groups: [(Kind, &[&str]); 5] = [
            (Kind::SameBytes, &["sage/0000.jpg", "sage/0001.jpg"]),
            (Kind::Burst, &["sage/0001.jpg", "sage/0002.jpg"]),
            (Kind::Burst, &["sage/0003.jpg", "sage/0004.jpg"]),
            (Kind::Variant, &["sage/0005.jpg", "sage/0006.jpg"]),
            (Kind::Recoloured, &["sage/0007.jpg", "sage/0008.jpg"]),
        ];
        let mut found = found(&catalog, &groups);
        found.by_name = vec![(3, 4)];
        let counted = Independent::new(&found);
        let expected = Independent { images: 6, copies: 1, frames_by_time: 1, frames_by_name: 1 };
        assert_eq!(counted, expected);
        assert_eq!(counted.images, IndependentGroups::independent(&found).count(0..9));
    }
}
