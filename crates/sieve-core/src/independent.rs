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
