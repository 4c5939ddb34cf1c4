//! From pairs to groups: what belongs together, and what is only chained to it.

use std::cmp::Reverse;
use std::collections::HashMap;

use super::kind::Kind;
use crate::disjoint_sets::DisjointSets;

/// What is known of two images.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Link {
    pub kind: Kind,
    pub score: f32,
    /// Whether one of both can be made again from the other.
    pub is_replayed: bool,
}

impl Link {
    /// Of two burst frames, by the cosine of their looks.
    pub fn burst(score: f32) -> Self {
        Link { kind: Kind::Burst, score, is_replayed: false }
    }
}

/// Known pairs, by both numbers, the smaller first.
pub type Links = HashMap<(u32, u32), Link>;

/// An image in a group.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Membership {
    pub image: u32,
    /// How it goes with the image that stands for the group; none for that one itself.
    pub link: Option<Link>,
}

/// What belongs together, the image that stands for all first.
pub type Cluster = Vec<Membership>;

/// The groups that `links` make among `count` images. Each is led by the member that goes with most others, of
/// equals the one that `rank` puts first, and holds what goes with that one and nothing else: so that it can be said of
/// every member why it is there. What is only chained to it makes groups of its own; an image that is left over alone
/// then makes one with the member that it goes with best, which so is in two groups.
pub fn group<R: Ord>(count: usize, links: &Links, rank: impl Fn(u32) -> R) -> Vec<Cluster> {
    let mut sets = DisjointSets::new(count);
    let mut pairs: Vec<(u32, u32)> = links.keys().copied().collect();
    pairs.sort_unstable();
    pairs.iter().for_each(|&(a, b)| sets.union(a, b));
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
        let mut together = vec![Membership { image: leader, link: None }];
        let mut rest = Vec::new();
        for member in set.into_iter().filter(|&member| member != leader) {
            match links.get(&(leader.min(member), leader.max(member))) {
                Some(&link) => together.push(Membership { image: member, link: Some(link) }),
                None => rest.push(member),
            }
        }
        let mut left = DisjointSets::new(rest.len());
        let place = |member: u32| rest.binary_search(&member).ok().map(|at| at as u32);
        for (at, member) in (0u32..).zip(&rest) {
            let others = partners.get(member).into_iter().flatten();
            others.filter_map(|&other| place(other)).for_each(|other| left.union(at, other));
        }
        let cut = left.groups();
        open.extend(
            cut.iter().rev().map(|set| set.iter().map(|&at| rest[at as usize]).collect::<Vec<_>>()),
        );
        let is_cut = |at: u32| cut.iter().any(|set| set.binary_search(&at).is_ok());
        groups.push(together);
        for (at, &member) in (0u32..).zip(&rest) {
            if !is_cut(at)
                && let Some((partner, link)) = best_partner(member, &partners, links)
            {
                groups.push(vec![
                    Membership { image: partner, link: None },
                    Membership { image: member, link: Some(link) },
                ]);
            }
        }
    }
    groups
}

/// The image that goes with `member` best, of equals the first.
fn best_partner(
    member: u32,
    partners: &HashMap<u32, Vec<u32>>,
    links: &Links,
) -> Option<(u32, Link)> {
    let known = partners.get(&member)?.iter().filter_map(|&partner| {
        Some((partner, *links.get(&(member.min(partner), member.max(partner)))?))
    });
    known.min_by(|(a, one), (b, other)| other.score.total_cmp(&one.score).then(a.cmp(b)))
}

/// All that `links` join among `count` images, each led by the member that goes with most others, of equals the one
/// that `rank` puts first; each other member with its link to the leader or the best that it has.
pub fn families<R: Ord>(count: usize, links: &Links, rank: impl Fn(u32) -> R) -> Vec<Cluster> {
    let mut sets = DisjointSets::new(count);
    let mut partners: HashMap<u32, Vec<u32>> = HashMap::new();
    for &(a, b) in links.keys() {
        sets.union(a, b);
        partners.entry(a).or_default().push(b);
        partners.entry(b).or_default().push(a);
    }
    partners.values_mut().for_each(|partners| partners.sort_unstable());
    let family = |set: Vec<u32>| -> Option<Cluster> {
        let known = |member: u32| partners.get(&member).map_or(0, Vec::len);
        let leader =
            set.iter().copied().min_by_key(|&one| (Reverse(known(one)), rank(one), one))?;
        let others = set.into_iter().filter(|&member| member != leader).map(|member| {
            let to_leader = links.get(&(leader.min(member), leader.max(member))).copied();
            let link = to_leader.or_else(|| Some(best_partner(member, &partners, links)?.1));
            Membership { image: member, link }
        });
        Some([Membership { image: leader, link: None }].into_iter().chain(others).collect())
    };
    sets.groups().into_iter().filter_map(family).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn links(pairs: &[(u32, u32)]) -> Links {
        pairs
            .iter()
            .map(|&pair| (pair, Link { kind: Kind::Near, score: 1.0, is_replayed: false }))
            .collect()
    }

    fn names(groups: &[Cluster]) -> Vec<Vec<u32>> {
        groups.iter().map(|group| group.iter().map(|member| member.image).collect()).collect()
    }

    #[test]
    fn chains_are_cut_where_nothing_goes_with_the_leader() {
        // 0, 1 and 2 go with each other, 3 with 2; 4 and 5 hang on 3.
        let pairs = links(&[(0, 1), (0, 2), (1, 2), (2, 3), (3, 4), (4, 5), (7, 8)]);
        let groups = group(9, &pairs, u64::from);
        assert_eq!(names(&groups), [vec![2, 0, 1, 3], vec![4, 5], vec![7, 8]]);
        // An image left over alone makes a group with the one that it goes with.
        let chain = links(&[(0, 1), (0, 2), (2, 3)]);
        assert_eq!(names(&group(4, &chain, u64::from)), [vec![0, 1, 2], vec![2, 3]]);
        // A family is all that is joined.
        let all = families(9, &pairs, u64::from);
        assert_eq!(names(&all), [vec![2, 0, 1, 3, 4, 5], vec![7, 8]]);
        assert!(all[0][1..].iter().all(|member| member.link.is_some()));
    }
}
