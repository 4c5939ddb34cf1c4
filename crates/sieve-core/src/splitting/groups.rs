//! Which pictures stay together: copies, and those that a table or name puts into one group.

use std::collections::HashMap;

use super::assign::GroupId;
use crate::measuring::Digest;
use crate::sets::Sets;

/// The group of each picture, told by its digest and by the group it is said to be of. Groups that
/// share a picture are one. A group is called by the least digest in it, so its name depends on the
/// content alone.
pub(super) fn groups(pictures: &[(Digest, Option<&str>)]) -> Vec<GroupId> {
    let mut sets = Sets::new(pictures.len());
    let mut by_digest: HashMap<Digest, u32> = HashMap::new();
    let mut by_name: HashMap<&str, u32> = HashMap::new();
    for (index, (digest, name)) in (0u32..).zip(pictures) {
        sets.join(*by_digest.entry(*digest).or_insert(index), index);
        if let Some(name) = name {
            sets.join(*by_name.entry(name).or_insert(index), index);
        }
    }
    let mut least: HashMap<u32, Digest> = HashMap::new();
    for (index, (digest, _)) in (0u32..).zip(pictures) {
        let known = least.entry(sets.of(index)).or_insert(*digest);
        *known = (*known).min(*digest);
    }
    (0..pictures.len() as u32).map(|index| GroupId(least[&sets.of(index)])).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn copies_and_named_groups_that_touch_are_one() {
        let digest = |n: u8| Digest([n; 32]);
        let pictures = [
            (digest(5), None),
            (digest(4), Some("rack")),
            (digest(5), Some("rack")),
            (digest(3), None),
            (digest(2), Some("tray")),
            (digest(9), Some("tray")),
            (digest(9), Some("shelf")),
            (digest(1), Some("shelf")),
        ];
        let expected = [4, 4, 4, 3, 1, 1, 1, 1].map(|n| GroupId(digest(n)));
        assert_eq!(groups(&pictures), expected);
    }
}
