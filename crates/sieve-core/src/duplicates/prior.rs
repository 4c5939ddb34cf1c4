//! The odds of a copy in the collection at hand.
//!
//! The weights were fitted where most pairs that seem to be the same are copies. Where a collection has ten thousand such
//! pairs of which hardly one looks like a copy, the next one is hardly a copy either. So the odds that were fitted are
//! exchanged for those that all scores of this collection together say (Saerens, Latinne and Decaestecker, Adjusting the
//! outputs of a classifier to new a priori probabilities, 2002): images on a uniform background and others apart.

use std::collections::HashMap;

use crate::disjoint_sets::DisjointSets;
use crate::likeness::FITTED;

/// A pair before that.
#[derive(Clone, Copy, Debug)]
pub struct ScoredPair {
    /// Both images.
    pub pair: [u32; 2],
    /// The log odds that were fitted.
    pub log_odds: f32,
    /// Whether it lies on a uniform background.
    pub is_plain: bool,
    /// Whether one is mirrored or turned by quarters.
    pub is_turned: bool,
}

/// Log odds of a copy among pairs of drawings that seem to be the same and cannot be made again. Drawings of one hand share
/// their lines: where nobody copied, hardly one pair in a hundred is a copy; where somebody did, most are. A round value
/// between both.
const DRAWN: f64 = -1.0;
/// Pairs with these odds that are added: a few pairs say little about a collection.
const PSEUDO: f64 = 20.0;
/// Log odds that are added at most: pairs of one image speak for each other, so that many of them say less than
/// they seem to.
const MOST_ADDED: f64 = 1.0;
/// Mirrored and turned pairs for each other pair of copies, at most, that are put down to copying: of eight ways in which a
/// image is usually changed one or two turn it. Arrows and flags have many more.
const TURNED: f64 = 0.5;
/// The pairs of one image count together at most as much as this many.
const MOST: f64 = 10.0;
/// Rounds at most, and the change of the log odds that ends them.
const ROUNDS: usize = 100;
const SETTLED: f64 = 1e-6;

/// What is added to the log odds of pairs, by where they belong.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PriorShift {
    /// For images that are full of detail.
    textured: f64,
    /// For images on a uniform background.
    plain: f64,
    /// The share of mirrored pairs on a uniform background, copies by all else, that are copies: designs come in pairs that look
    /// left and right. Deliberate copies are seldom mirrored more often than not.
    turned: f64,
}

impl PriorShift {
    /// What `pairs` say.
    pub fn new(pairs: &[ScoredPair]) -> Self {
        let mut degrees: HashMap<u32, f64> = HashMap::new();
        for pair in pairs.iter().flat_map(|raw| raw.pair) {
            *degrees.entry(pair).or_default() += 1.0;
        }
        let weight = |raw: &ScoredPair| {
            (MOST / raw.pair.map(|one| degrees[&one]).into_iter().fold(1.0, f64::max)).min(1.0)
        };
        let added = |is_plain: bool| {
            let here = pairs.iter().filter(|raw| raw.is_plain == is_plain);
            let here: Vec<(f64, f64)> =
                here.map(|raw| (weight(raw), f64::from(raw.log_odds))).collect();
            em_shift(&here, if is_plain { DRAWN } else { f64::from(FITTED) }).min(MOST_ADDED)
        };
        let (textured, plain) = (added(false), added(true));
        let count = |is_turned: bool| -> f64 {
            let here = pairs.iter().filter(|raw| raw.is_plain && raw.is_turned == is_turned);
            here.map(|raw| weight(raw) * chance(f64::from(raw.log_odds) + plain)).sum()
        };
        // One more of each: a single mirrored copy may be either.
        let turned = ((TURNED * count(false) + 1.0) / (count(true) + 1.0)).min(1.0);
        PriorShift { textured, plain, turned }
    }

    /// What the pairs of one image say, which tell nothing of how many designs look both ways.
    pub fn of_one(pairs: &[ScoredPair]) -> Self {
        PriorShift { turned: 1.0, ..PriorShift::new(pairs) }
    }

    /// The log odds of a pair in this collection.
    pub fn log_odds(&self, raw: &ScoredPair) -> f32 {
        let fitted = f64::from(raw.log_odds);
        if !raw.is_plain {
            return (fitted + self.textured) as f32;
        }
        let here = fitted + self.plain;
        if !raw.is_turned || self.turned >= 1.0 {
            return here as f32;
        }
        let chance = chance(here) * self.turned;
        (chance / (1.0 - chance)).ln() as f32
    }
}

/// The odds among images that pairs which seem to be the same lead to from one to the other: what else a collection holds
/// changes nothing.
pub struct LocalOdds {
    /// For each image in a pair the one that stands for all that it is joined with.
    joined: HashMap<u32, u32>,
    odds: HashMap<u32, PriorShift>,
    nothing: PriorShift,
}

impl LocalOdds {
    /// What `pairs` say, each where it belongs.
    pub fn new(pairs: &[ScoredPair]) -> Self {
        let most = pairs.iter().flat_map(|raw| raw.pair).max().map_or(0, |most| most as usize + 1);
        let mut sets = DisjointSets::new(most);
        pairs.iter().for_each(|raw| sets.union(raw.pair[0], raw.pair[1]));
        let images = pairs.iter().flat_map(|raw| raw.pair);
        let joined: HashMap<u32, u32> = images.map(|image| (image, sets.find(image))).collect();
        let mut there: HashMap<u32, Vec<ScoredPair>> = HashMap::new();
        for raw in pairs {
            there.entry(joined[&raw.pair[0]]).or_default().push(*raw);
        }
        let odds = there.into_iter().map(|(set, pairs)| (set, PriorShift::new(&pairs))).collect();
        LocalOdds { joined, odds, nothing: PriorShift::new(&[]) }
    }

    /// The odds around an image.
    pub fn of(&self, image: u32) -> &PriorShift {
        self.joined.get(&image).map_or(&self.nothing, |set| &self.odds[set])
    }
}

/// The chance that log odds stand for.
fn chance(log_odds: f64) -> f64 {
    1.0 / (1.0 + (-log_odds).exp())
}

/// What must be added to the log odds of weighted pairs so that the odds of all are what they then say of each.
fn em_shift(pairs: &[(f64, f64)], base: f64) -> f64 {
    let fitted = f64::from(FITTED);
    let mut added = base - fitted;
    for _ in 0..ROUNDS {
        let (mut copies, mut others) = (PSEUDO * chance(base), PSEUDO * chance(-base));
        for &(weight, log_odds) in pairs {
            let share = chance(log_odds + added);
            copies += weight * share;
            others += weight * (1.0 - share);
        }
        let next = (copies / others).ln() - fitted;
        let is_settled = (next - added).abs() < SETTLED;
        added = next;
        if is_settled {
            break;
        }
    }
    added
}

#[cfg(test)]
mod tests {
    use super::*;

    fn raw(at: u32, log_odds: f32, is_turned: bool) -> ScoredPair {
        ScoredPair { pair: [2 * at, 2 * at + 1], log_odds, is_plain: true, is_turned }
    }

    #[test]
    fn what_most_pairs_are_is_held_for_likely_of_the_next() {
        let odds =
            |pairs: &[ScoredPair], of: f32| PriorShift::new(pairs).log_odds(&raw(0, of, false));
        // Nothing is known: of drawings less than fitted, and what a single pair says moves it a little.
        let unknown = odds(&[], 3.0);
        assert!((f64::from(unknown) - (3.0 + DRAWN - f64::from(FITTED))).abs() < 1e-5);
        let alone = odds(&[raw(0, 3.0, false)], 3.0);
        assert!((0.0..0.4).contains(&(alone - unknown)));
        // A thousand pairs of which two may be copies take more than what speaks for a weak one.
        let mut series: Vec<ScoredPair> = (0..1000).map(|at| raw(at, -1.0, false)).collect();
        series.extend([raw(1000, 3.0, false), raw(1001, 12.0, false)]);
        assert!(odds(&series, 3.0) < 0.0 && odds(&series, 12.0) > 4.0);
        // Many copies add little, and on other ground nothing changes.
        let copies: Vec<ScoredPair> = (0..1000).map(|at| raw(at, 6.0, false)).collect();
        assert!((odds(&copies, 3.0) - 4.0).abs() < 1e-5);
        let textured = ScoredPair { is_plain: false, ..raw(0, 3.0, false) };
        assert!((PriorShift::new(&series).log_odds(&textured) - 3.0).abs() < 1e-6);
        // Nor among images that nothing joins with them.
        let mut all = series.clone();
        all.push(raw(5000, 3.0, false));
        let local = LocalOdds::new(&all).of(10_000).log_odds(&raw(5000, 3.0, false));
        assert!((local - odds(&[raw(5000, 3.0, false)], 3.0)).abs() < 1e-6);
    }

    #[test]
    fn designs_that_look_both_ways_are_no_copies() {
        let designs: Vec<ScoredPair> = (0..50).map(|at| raw(at, 9.0, true)).collect();
        let straight = (50..150).map(|at| raw(at, 9.0, false));
        let (one, other) = (raw(0, 9.0, true), raw(0, 9.0, false));
        let reported = PriorShift::new(&designs);
        assert!(reported.log_odds(&one) < 0.0 && reported.log_odds(&other) > 3.0);
        let among_copies =
            PriorShift::new(&designs.into_iter().chain(straight).collect::<Vec<_>>());
        assert_eq!(among_copies.log_odds(&one), among_copies.log_odds(&other));
    }

    #[test]
    fn pairs_of_one_picture_count_together() {
        let star: Vec<ScoredPair> =
            (1..400).map(|at| ScoredPair { pair: [0, at], ..raw(0, -2.0, false) }).collect();
        let apart: Vec<ScoredPair> = (1..400).map(|at| raw(at, -2.0, false)).collect();
        let odds = |pairs: &[ScoredPair]| PriorShift::new(pairs).log_odds(&raw(0, 0.0, false));
        assert!(odds(&star) > odds(&apart) + 0.5);
    }
}
