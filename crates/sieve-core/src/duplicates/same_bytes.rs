//! Files with the same bytes, one of which stands for all.

use std::collections::{BTreeMap, HashMap};

use super::candidates::FEW;
use super::clustering::{Link, Links};
use super::image_set::ImageRef;
use super::kind::Kind;
use super::report::Pair;
use crate::measuring::Digest;

/// Files with the same bytes.
pub struct Copies {
    /// The first file of each content.
    pub leaders: Vec<u32>,
    /// All files of each content that is there more than once, by its leader.
    pub sets: BTreeMap<u32, Vec<u32>>,
    /// The leader of each image.
    pub leader: Vec<u32>,
}

impl Copies {
    /// Those among `images`.
    pub fn new(images: &[ImageRef<'_>]) -> Self {
        let mut first: HashMap<Digest, u32> = HashMap::new();
        let (mut leaders, mut sets) = (Vec::new(), BTreeMap::<u32, Vec<u32>>::new());
        let mut leader = Vec::with_capacity(images.len());
        for (index, image) in (0u32..).zip(images) {
            let known = *first.entry(image.measured.digest).or_insert(index);
            leader.push(known);
            if known == index {
                leaders.push(index);
            } else {
                sets.entry(known).or_insert_with(|| vec![known]).push(index);
            }
        }
        Copies { leaders, sets, leader }
    }

    /// All files with the bytes of `leader`, where there are several.
    fn all(&self, leader: u32) -> &[u32] {
        self.sets.get(&leader).map_or(&[], Vec::as_slice)
    }

    /// The pairs between leaders as pairs between all files with their bytes, and those of the same
    /// bytes.
    pub fn expanded(&self, links: &Links, allows: impl Fn(u32, u32) -> bool) -> Vec<Pair> {
        let mut pairs = Vec::new();
        let mut put = |a: u32, b: u32, link: &Link| {
            if allows(a, b) {
                let Link { kind, score, is_replayed } = *link;
                pairs.push(Pair { a: a.min(b), b: a.max(b), kind, score, is_replayed });
            }
        };
        let same = Link { kind: Kind::SameBytes, score: 1.0, is_replayed: true };
        for set in self.sets.values() {
            each_pair(set, |a, b| put(a, b, &same));
        }
        for (&(a, b), link) in links {
            let of = |leader| match self.all(leader) {
                [] => vec![leader],
                all if all.len() > FEW => vec![leader],
                all => all.to_vec(),
            };
            let others = of(b);
            for a in of(a) {
                others.iter().for_each(|&b| put(a, b, link));
            }
        }
        pairs.sort_unstable_by_key(|pair| (pair.a, pair.b));
        pairs
    }
}

/// All pairs of few, of many those with the first.
pub fn each_pair(members: &[u32], mut take: impl FnMut(u32, u32)) {
    for (place, &a) in members.iter().enumerate() {
        if place > 0 && members.len() > FEW {
            break;
        }
        members[place + 1..].iter().for_each(|&b| take(a, b));
    }
}
