//! Which pictures stay together: copies, and those that a table or name puts into one group.

use std::collections::HashMap;

use super::assign::GroupId;
use crate::measuring::Digest;

/// The group of each picture, told by its digest and by the group it is said to be of. Groups that
/// share a picture are one. A group is called by the least digest in it, so its name depends on the
/// content alone.
pub(super) fn groups(pictures: &[(Digest, Option<&str>)]) -> Vec<GroupId> {
    // Each picture points at another of its group, until one points at itself.
    let mut above: Vec<usize> = (0..pictures.len()).collect();
    let mut by_digest: HashMap<Digest, usize> = HashMap::new();
    let mut by_name: HashMap<&str, usize> = HashMap::new();
    for (index, (digest, name)) in pictures.iter().enumerate() {
        let copy = *by_digest.entry(*digest).or_insert(index);
        join(&mut above, copy, index);
        if let Some(name) = name {
            let fellow = *by_name.entry(name).or_insert(index);
            join(&mut above, fellow, index);
        }
    }
    let mut least: HashMap<usize, Digest> = HashMap::new();
    for (index, (digest, _)) in pictures.iter().enumerate() {
        let known = least.entry(root(&mut above, index)).or_insert(*digest);
        *known = (*known).min(*digest);
    }
    (0..pictures.len()).map(|index| GroupId(least[&root(&mut above, index)])).collect()
}

fn root(above: &mut [usize], mut index: usize) -> usize {
    while above[index] != index {
        above[index] = above[above[index]];
        index = above[index];
    }
    index
}

fn join(above: &mut [usize], a: usize, b: usize) {
    let (a, b) = (root(above, a), root(above, b));
    above[a.max(b)] = a.min(b);
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
