//! Pairs that no search has found, by way of a third image that goes with both.

use std::collections::{BTreeMap, HashSet};

use super::candidates::Candidate;
use super::pair_verdicts::PairVerdict;
use crate::affine::Affine;
use crate::likeness::Start;

/// An image that goes with more than this many others leads nowhere new: each of its partners would be
/// laid over all others.
const MOST: usize = 100;

/// Pairs of images that surely go with one third and are not among `pair_verdicts`, each with where the one then lies on the
/// other; by way of the first third that tells.
pub fn transitive_candidates(pair_verdicts: &[PairVerdict]) -> Vec<Candidate> {
    let known: HashSet<(u32, u32)> = pair_verdicts
        .iter()
        .filter(|pair| pair.kind.is_duplicate())
        .map(|pair| (pair.a, pair.b))
        .collect();
    let mut partners: BTreeMap<u32, Vec<(u32, Affine)>> = BTreeMap::new();
    for pair in pair_verdicts.iter().filter(|pair| pair.kind.is_duplicate()) {
        if let Some(back) = pair.map.inverse() {
            partners.entry(pair.a).or_default().push((pair.b, pair.map));
            partners.entry(pair.b).or_default().push((pair.a, back));
        }
    }
    let mut found: BTreeMap<(u32, u32), Candidate> = BTreeMap::new();
    for others in partners.values().filter(|others| others.len() <= MOST) {
        for (place, &(one, to_one)) in others.iter().enumerate() {
            let Some(back) = to_one.inverse() else { continue };
            for &(other, to_other) in &others[place + 1..] {
                let pair = (one.min(other), one.max(other));
                if !known.contains(&pair) && one != other {
                    let start = Start::along(back.then(to_other));
                    found.entry(pair).or_insert(Candidate { wanted: one, found: other, start });
                }
            }
        }
    }
    found.into_values().collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::duplicates::Kind;

    fn pair(a: u32, b: u32, kind: Kind, map: Affine) -> PairVerdict {
        PairVerdict { a, b, kind, log_odds: 7.0, map, is_still: false, is_replayed: false }
    }

    #[test]
    fn pictures_that_go_with_a_third_are_laid_over_each_other_as_it_says() {
        let (right, half) = (Affine::shift(0.1, 0.0), Affine::scale(0.5, 0.5, (0.0, 0.0)));
        let found = transitive_candidates(&[
            pair(0, 1, Kind::Near, right),
            pair(0, 2, Kind::Cropped, half),
            pair(0, 3, Kind::LookAlike, half),
            pair(4, 5, Kind::Near, right),
        ]);
        let [candidate] = found[..] else { panic!("{found:?}") };
        assert_eq!((candidate.wanted, candidate.found), (1, 2));
        // What lies at 0.3 of image 1 lies at 0.2 of image 0, so at 0.1 of image 2.
        let (_, map) = candidate.start.way(true).unwrap();
        let (x, y) = map.at(0.3, 0.0);
        assert!((x - 0.1).abs() < 1e-9 && y.abs() < 1e-9, "{x} {y}");
        // Once it is known nothing is left, and an image that goes with very many says nothing.
        let mut known = vec![pair(0, 1, Kind::Near, right), pair(0, 2, Kind::Cropped, half)];
        known.push(pair(1, 2, Kind::Cropped, half));
        assert!(transitive_candidates(&known).is_empty());
        let star: Vec<PairVerdict> =
            (1..MOST as u32 + 2).map(|other| pair(0, other, Kind::Near, right)).collect();
        assert!(
            transitive_candidates(&star).is_empty()
                && !transitive_candidates(&star[1..]).is_empty()
        );
    }
}
