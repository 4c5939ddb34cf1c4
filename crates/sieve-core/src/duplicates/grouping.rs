//! From pairs to groups: what belongs together, and what is only chained to it.

use std::cmp::Reverse;
use std::collections::HashMap;

use super::kind::Kind;
use crate::sets::Sets;

/// What is known of two pictures.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Link {
    pub kind: Kind,
    pub score: f32,
}

/// Known pairs, by both numbers, the smaller first.
pub type Links = HashMap<(u32, u32), Link>;

/// A picture in a group.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Membership {
    pub picture: u32,
    /// How it goes with the picture that stands for the group; none for that one itself.
    pub link: Option<Link>,
    /// The member that it goes with instead, where it does not go with that one.
    pub through: Option<u32>,
}

/// What belongs together, the picture that stands for all first.
pub type Together = Vec<Membership>;

/// The groups that `pairs` make among `count` pictures. Each is led by the member that goes with
/// most others, of equals the one that `rank` puts first. Members that go with the leader stay. What
/// is only chained to it is cut off and makes groups of its own; a picture that is left over alone
/// stays, named with the member that it goes with. `again` may find a link that was not known.
pub fn group<R: Ord>(
    count: usize,
    links: &mut Links,
    rank: impl Fn(u32) -> R,
    mut again: impl FnMut(u32, u32) -> Option<Link>,
) -> Vec<Together> {
    let mut sets = Sets::new(count);
    let mut pairs: Vec<(u32, u32)> = links.keys().copied().collect();
    pairs.sort_unstable();
    pairs.iter().for_each(|&(a, b)| sets.join(a, b));
    let mut partners: HashMap<u32, Vec<u32>> = HashMap::new();
    for &(a, b) in &pairs {
        partners.entry(a).or_default().push(b);
        partners.entry(b).or_default().push(a);
    }
    let mut groups = Vec::new();
    let mut open = sets.groups();
    open.reverse();
    while let Some(set) = open.pop() {
        let leader = set.iter().copied().min_by_key(|&member| {
            let known = partners.get(&member).map_or(0, |partners| {
                partners.iter().filter(|partner| set.binary_search(partner).is_ok()).count()
            });
            (Reverse(known), rank(member), member)
        });
        let Some(leader) = leader else { continue };
        let mut together = vec![Membership { picture: leader, link: None, through: None }];
        let mut rest = Vec::new();
        for member in set.into_iter().filter(|&member| member != leader) {
            let key = (leader.min(member), leader.max(member));
            let known = links.get(&key).copied().or_else(|| {
                let link = again(key.0, key.1)?;
                links.insert(key, link);
                Some(link)
            });
            match known {
                Some(link) => {
                    together.push(Membership { picture: member, link: Some(link), through: None });
                }
                None => rest.push(member),
            }
        }
        let mut left = Sets::new(count.min(rest.len()));
        let place = |member: u32| rest.binary_search(&member).ok().map(|at| at as u32);
        for (at, member) in (0u32..).zip(&rest) {
            let others = partners.get(member).into_iter().flatten();
            others.filter_map(|&other| place(other)).for_each(|other| left.join(at, other));
        }
        let cut = left.groups();
        let is_cut = |at: u32| cut.iter().any(|set| set.binary_search(&at).is_ok());
        for (at, &member) in (0u32..).zip(&rest) {
            if is_cut(at) {
                continue;
            }
            let mut others = partners.get(&member).into_iter().flatten().copied();
            let through = others.find(|other| {
                together.iter().any(|member| member.picture == *other && member.through.is_none())
            });
            let Some(through) = through else { continue };
            let link = links.get(&(member.min(through), member.max(through))).copied();
            together.push(Membership { picture: member, link, through: Some(through) });
        }
        open.extend(
            cut.iter().rev().map(|set| set.iter().map(|&at| rest[at as usize]).collect::<Vec<_>>()),
        );
        if together.len() > 1 {
            groups.push(together);
        }
    }
    groups
}

#[cfg(test)]
mod tests {
    use super::*;

    fn links(pairs: &[(u32, u32)]) -> Links {
        pairs.iter().map(|&pair| (pair, Link { kind: Kind::Near, score: 1.0 })).collect()
    }

    fn names(groups: &[Together]) -> Vec<Vec<(u32, Option<u32>)>> {
        let of = |group: &Together| group.iter().map(|m| (m.picture, m.through)).collect();
        groups.iter().map(of).collect()
    }

    #[test]
    fn chains_are_cut_where_nothing_goes_with_the_leader() {
        // 0, 1 and 2 go with each other, 3 with 2; 4 and 5 hang on 3.
        let mut pairs = links(&[(0, 1), (0, 2), (1, 2), (2, 3), (3, 4), (4, 5), (7, 8)]);
        let groups = group(9, &mut pairs, u64::from, |_, _| None);
        let alone = |members: &[u32]| members.iter().map(|&m| (m, None)).collect::<Vec<_>>();
        assert_eq!(names(&groups), [alone(&[2, 0, 1, 3]), alone(&[4, 5]), alone(&[7, 8])]);
        // A picture left over alone names the member that it goes with.
        let mut pairs = links(&[(0, 1), (0, 2), (2, 3)]);
        let groups = group(4, &mut pairs, u64::from, |_, _| None);
        assert_eq!(names(&groups), [vec![(0, None), (1, None), (2, None), (3, Some(2))]]);
        // Looked at again, it goes with the leader after all.
        let found = |a, b| ((a, b) == (0, 3)).then_some(Link { kind: Kind::Part, score: 0.9 });
        let groups = group(4, &mut pairs, u64::from, found);
        assert_eq!(names(&groups), [vec![(0, None), (1, None), (2, None), (3, None)]]);
    }
}
