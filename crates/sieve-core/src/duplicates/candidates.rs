//! Pairs of images that are worth laying over each other.

use std::cmp::Reverse;
use std::collections::HashMap;

use rayon::prelude::*;

use super::forest::Forest;
use super::hamming::{RADIUS_BITS, union_near};
use crate::Error;
use crate::affine::Affine;
use crate::disjoint_sets::DisjointSets;
use crate::likeness::{
    ImagePyramid, Start, Turn, Vector, View, index_views, least_product, query_views,
};
use crate::measuring::Fingerprint;
use crate::progress::Progress;

/// Two images that may be alike, and where the one looked for may lie on the other.
#[derive(Clone, Copy, Debug)]
pub struct Candidate {
    /// The image that is looked for.
    pub wanted: u32,
    /// The image it may lie on.
    pub found: u32,
    /// Where to begin.
    pub start: Start,
}

/// Sets up to this size are compared all with all; in larger ones all are compared with a few.
pub const FEW: usize = 256;

/// What the fingerprints say.
pub struct Near {
    /// Pairs of images whose fingerprints meet.
    pub candidates: Vec<Candidate>,
    /// Images that stand for many others, which need not be looked for any more: for each image
    /// whether it is one of these others.
    pub is_represented: Vec<bool>,
}

/// Pairs of images whose fingerprints meet: as they are, mirrored or turned.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn near(fingerprints: &[Fingerprint], progress: &dyn Progress) -> Result<Near, Error> {
    progress.begin("comparing fingerprints", None);
    let count = fingerprints.len();
    let mut near = Near { candidates: Vec::new(), is_represented: vec![false; count] };
    let mut sets = DisjointSets::new(count);
    union_near(fingerprints, &mut sets, progress)?;
    for set in sets.groups() {
        let name = |&index: &u32| (index, fingerprints[index as usize], Turn::default());
        let members: Vec<(u32, Fingerprint, Turn)> = set.iter().map(name).collect();
        let leaders = pair_up(&members, &mut near.candidates);
        if set.len() > FEW {
            set.iter().for_each(|&index| near.is_represented[index as usize] = true);
            leaders.iter().for_each(|&leader| near.is_represented[leader as usize] = false);
        }
    }
    // Each in its normal position, and lying on its side.
    let mut normal: Vec<(u32, Fingerprint, Turn)> = Vec::with_capacity(2 * count);
    for (index, fingerprint) in (0u32..).zip(fingerprints) {
        if near.is_represented[index as usize] || fingerprint.is_blank() {
            continue;
        }
        let (flip_x, flip_y) = fingerprint.leans();
        for transpose in [false, true] {
            let turn = Turn { flip_x, flip_y, transpose };
            normal.push((index, fingerprint.turned(flip_x, flip_y, transpose), turn));
        }
    }
    let turned: Vec<Fingerprint> = normal.iter().map(|&(_, fingerprint, _)| fingerprint).collect();
    let mut sets = DisjointSets::new(turned.len());
    union_near(&turned, &mut sets, progress)?;
    for set in sets.groups() {
        let members: Vec<_> = set.iter().map(|&index| normal[index as usize]).collect();
        pair_up(&members, &mut near.candidates);
    }
    Ok(near)
}

/// Pairs the members of a set: all with all when they are few, otherwise each with one that is close
/// and stands for it. Those are returned.
fn pair_up(members: &[(u32, Fingerprint, Turn)], into: &mut Vec<Candidate>) -> Vec<u32> {
    let is_near = |a: &Fingerprint, b: &Fingerprint| a.distance_bits(*b) <= RADIUS_BITS;
    let mut pair = |a: &(u32, Fingerprint, Turn), b: &(u32, Fingerprint, Turn)| {
        if a.0 != b.0 {
            into.push(Candidate { wanted: a.0, found: b.0, start: Start::whole(a.2, b.2) });
        }
    };
    let mut leaders: Vec<&(u32, Fingerprint, Turn)> = Vec::new();
    for (place, member) in members.iter().enumerate() {
        if members.len() <= FEW {
            let others = members[..place].iter().filter(|other| is_near(&member.1, &other.1));
            others.for_each(|other| pair(member, other));
            leaders.push(member);
            continue;
        }
        match leaders.iter().find(|leader| is_near(&member.1, &leader.1)) {
            Some(leader) => pair(member, leader),
            None => leaders.push(member),
        }
    }
    leaders.iter().map(|leader| leader.0).collect()
}

/// Trees of the forest.
const TREES: usize = 4;
/// Views that are looked at for each that is looked for: a test of the forest holds this to 99% of what
/// looking at all finds.
const LOOKS: usize = 2000;

/// The product of two views; of equals the first view that was looked for and the first that was found.
type Best = (i32, Reverse<(usize, u32)>);

/// Candidates that one image may have; the nearest are kept.
const MOST: usize = 64;

/// Pairs of images of which one may show the other, or a part of it, in any position. `image_at`
/// gives the planes of an image; `None` where it does not take part.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn wide<'a>(
    count: usize,
    image_at: impl Fn(usize) -> Option<&'a ImagePyramid> + Sync,
    is_wanted: impl Fn(u32, u32) -> bool + Sync,
    progress: &dyn Progress,
) -> Result<Vec<Candidate>, Error> {
    let views = |index: usize| {
        let Some(image_at) = image_at(index) else { return Default::default() };
        progress.advance(1);
        (query_views(image_at), index_views(image_at))
    };
    let views: Vec<(Vec<View>, Vec<View>)> = (0..count).into_par_iter().map(views).collect();
    let among = (0u32..)
        .zip(&views)
        .flat_map(|(owner, (_, among))| among.iter().map(move |view| (owner, view)));
    let (owners, vectors): (Vec<(u32, Affine)>, Vec<Vector>) =
        among.map(|(owner, view)| ((owner, view.map), view.vector)).unzip();
    let forest = Forest::grow(&vectors, TREES);
    let found = views.par_iter().enumerate().map_init(
        || forest.search(),
        |search, (wanted, (queries, _))| {
            if progress.stopped() {
                return Err(Error::Interrupted);
            }
            let mut best: HashMap<u32, Best> = HashMap::new();
            for (number, view) in queries.iter().enumerate() {
                let take = |index: u32, product: i32| {
                    let owner = owners[index as usize].0;
                    if owner as usize != wanted && is_wanted(wanted as u32, owner) {
                        let here = (product, Reverse((number, index)));
                        let known = best.entry(owner).or_insert(here);
                        *known = here.max(*known);
                    }
                };
                forest.near(&view.vector, least_product(), LOOKS, search, take);
            }
            let mut found: Vec<(u32, Best)> = best.into_iter().collect();
            found.sort_unstable_by_key(|&(owner, (product, _))| (Reverse(product), owner));
            found.truncate(MOST);
            progress.advance(1);
            let candidate = |(owner, (_, Reverse((number, index))))| {
                let map = owners[index as usize].1;
                let start = Start::from_view(&queries[number], map);
                Candidate { wanted: wanted as u32, found: owner, start }
            };
            Ok(found.into_iter().map(candidate).collect())
        },
    );
    let found: Vec<Vec<Candidate>> = found.collect::<Result<_, Error>>()?;
    Ok(found.into_iter().flatten().collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::progress::NoProgress;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn pictures_whose_fingerprints_meet_in_any_position_are_candidates(
            seeds in prop::collection::vec(
                (0u8..5, prop::collection::vec(16usize..250, 0..12), any::<[bool; 3]>()), 2..24,
            ),
        ) {
            // A few images, each with some bits changed and in one of eight positions.
            let make = |(base, flips, turn): &(u8, Vec<usize>, [bool; 3])| {
                let mut bits = *blake3::hash(&[*base]).as_bytes();
                flips.iter().for_each(|bit| bits[bit / 8] ^= 1 << (bit % 8));
                Fingerprint(bits).turned(turn[0], turn[1], turn[2])
            };
            let fingerprints: Vec<Fingerprint> = seeds.iter().map(make).collect();
            let met = near(&fingerprints, &NoProgress).unwrap();
            prop_assert!(met.is_represented.iter().all(|is| !is), "they are few");
            let found: BTreeSet<(u32, u32)> = met
                .candidates
                .iter()
                .map(|c| (c.wanted.min(c.found), c.wanted.max(c.found)))
                .collect();
            for (a, one) in (0u32..).zip(&fingerprints) {
                for (b, other) in (0u32..).zip(&fingerprints).take(a as usize) {
                    let is_met = one.distance_bits(*other) <= RADIUS_BITS;
                    prop_assert!(!is_met || found.contains(&(b, a)), "{a} {b} as they stand");
                    let ways = (0..8u8).map(|way| other.turned(way & 1 > 0, way & 2 > 0, way & 4 > 0));
                    let nearest = ways.map(|way| one.distance_bits(way)).min().unwrap();
                    prop_assert!(nearest <= RADIUS_BITS || !found.contains(&(b, a)), "{a} {b} {nearest}");
                }
            }
        }
    }

    #[test]
    fn of_many_that_are_nearly_one_a_few_stand_for_all() {
        let jitter = |at: usize| {
            let mut bits = *blake3::hash(b"one").as_bytes();
            bits[1 + at % 30] ^= 1 << (at / 30 % 8);
            Fingerprint(bits)
        };
        let fingerprints: Vec<Fingerprint> = (0..FEW + 40).map(jitter).collect();
        let met = near(&fingerprints, &NoProgress).unwrap();
        let standing = met.is_represented.iter().filter(|is| !**is).count();
        assert_eq!((standing, met.candidates.len()), (1, FEW + 39));
    }
}
