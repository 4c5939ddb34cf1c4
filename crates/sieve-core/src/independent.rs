//! INDEPENDENT PICTURES: copies and frames of one moment count once.

use std::collections::{BTreeSet, HashMap};

use crate::duplicates::{Found, Kind};
use crate::sets::Sets;

/// Which pictures are one for all that can be learned or measured from them.
pub struct Units {
    of: Vec<u32>,
}

impl Units {
    /// Copies, in whatever way, and frames of one moment are one; look-alikes are not.
    pub fn of(found: &Found<'_>) -> Self {
        Self::from_sets(joined(found))
    }

    /// The same, and what a table or name puts into one group is one too.
    pub fn with_groups(found: &Found<'_>) -> Self {
        let mut sets = joined(found);
        let mut by_name: HashMap<&str, u32> = HashMap::new();
        for (number, picture) in (0u32..).zip(&found.pictures) {
            if let Some(name) = picture.record.place.group() {
                sets.join(*by_name.entry(name).or_insert(number), number);
            }
        }
        Self::from_sets(sets)
    }

    fn from_sets(mut sets: Sets) -> Self {
        Units { of: (0..sets.len() as u32).map(|number| sets.of(number)).collect() }
    }

    /// The unit of the picture with this number in [`Found::pictures`]: the least number in it.
    pub fn unit(&self, picture: usize) -> u32 {
        self.of[picture]
    }

    /// How many independent pictures these are.
    pub fn count(&self, pictures: impl IntoIterator<Item = usize>) -> u64 {
        let units: BTreeSet<u32> = pictures.into_iter().map(|picture| self.of[picture]).collect();
        units.len() as u64
    }
}

fn joined(found: &Found<'_>) -> Sets {
    let mut sets = Sets::new(found.pictures.len());
    for group in found.groups.iter().filter(|group| group.kind != Kind::LookAlike) {
        let first = group.members[0].picture;
        group.members.iter().for_each(|member| sets.join(first, member.picture));
    }
    sets
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::collection::Carried;
    use crate::tests::{catalog, classes, found};

    #[test]
    fn groups_of_a_table_count_once_where_that_is_asked_for() {
        let mut records = classes(&[("sage", 6)]);
        for at in [1, 4] {
            let carried = Carried { group: Some("rack 3".into()), values: Vec::new() };
            records[at].place.carried = Some(Box::new(carried));
        }
        let catalog = catalog(records, &[]);
        let groups: [(Kind, &[&str]); 2] = [
            (Kind::Framed, &["sage/0004.jpg", "sage/0005.jpg"]),
            (Kind::LookAlike, &["sage/0000.jpg", "sage/0001.jpg"]),
        ];
        let found = found(&catalog, &groups);
        assert_eq!(Units::of(&found).count(0..6), 5);
        let units = Units::with_groups(&found);
        assert_eq!(units.count(0..6), 4);
        assert_eq!([1, 4, 5].map(|picture| units.unit(picture)), [1, 1, 1]);
        assert_eq!(units.count([0, 1, 4]), 2);
    }
}
