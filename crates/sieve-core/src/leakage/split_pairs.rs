//! How much of one split is in another, and what that does to a score.

use std::collections::{BTreeMap, HashMap};

use super::cross_split_pairs::{CrossSplitPair, PairReason};
use super::standing;
use crate::duplicates::{DuplicateReport, Kind};

/// The images of one split that with a copy or burst frame in another.
#[derive(Clone, Debug, PartialEq)]
pub struct SplitPairSummary {
    /// The split that is judged.
    pub split: String,
    /// The split that its images have matches in.
    pub within: String,
    /// Whether a score on the split matters more than one on the other.
    pub is_judge: bool,
    /// Images of the split.
    pub images: u64,
    /// Those of them with a match.
    pub matched: u64,
    /// Those whose match is a copy; the others only share a moment or a group.
    pub copies: u64,
    /// How many by the surest reason of each, surest first.
    pub by_reason: Vec<(PairReason, u64)>,
    /// The same for the classes that have any, most matches first; images without a class are left out.
    pub classes: Vec<ClassOverlap>,
}

/// The images of a class in one split that with a copy or burst frame in another.
#[derive(Clone, Debug, PartialEq)]
pub struct ClassOverlap {
    /// The class.
    pub class: String,
    /// Its images in the split.
    pub images: u64,
    /// Those of them with a match.
    pub matched: u64,
}

impl SplitPairSummary {
    /// Images of which no more than a moment is shared.
    pub fn bursts(&self) -> u64 {
        let bursts =
            self.by_reason.iter().filter(|(reason, _)| *reason == PairReason::Alike(Kind::Burst));
        bursts.map(|(_, number)| number).sum()
    }

    /// The share of the split's images that have a match, 0 to 1.
    pub fn share(&self) -> f64 {
        self.matched as f64 / self.images as f64
    }

    /// The most by which a score on the split can be too high, 0 to 1: where a model knows every
    /// match by heart and nothing else.
    pub fn bound(&self) -> f64 {
        self.share()
    }

    /// The least that a model with this accuracy on the whole split can reach on the images without
    /// a match, 0 to 1: when it was right on every match, (accuracy - share) / (1 - share). None when
    /// there are no others.
    pub fn least_true(&self, accuracy: f64) -> Option<f64> {
        let share = self.share();
        (share < 1.0).then(|| ((accuracy - share) / (1.0 - share)).clamp(0.0, 1.0))
    }
}

pub(super) fn split_pairs(
    splits: &[String],
    cross_split_pairs: &[CrossSplitPair],
    found: &DuplicateReport<'_>,
) -> Vec<SplitPairSummary> {
    let split = |number: u32| found.images[number as usize].record.split().unwrap_or_default();
    // Of each image the surest reason with each other split; the surest matches come first.
    let mut surest: HashMap<(u32, &str), PairReason> = HashMap::new();
    for pair in cross_split_pairs {
        surest.entry((pair.a, split(pair.b))).or_insert(pair.reason);
        surest.entry((pair.b, split(pair.a))).or_insert(pair.reason);
    }
    let mut sizes: BTreeMap<(&str, Option<&str>), u64> = BTreeMap::new();
    for image in &found.images {
        let record = image.record;
        *sizes.entry((record.split().unwrap_or_default(), record.class())).or_default() += 1;
    }
    let mut tally: BTreeMap<(&str, &str), Counts<'_>> = BTreeMap::new();
    for (&(number, within), &reason) in &surest {
        let counts = tally.entry((split(number), within)).or_default();
        *counts.by_reason.entry(reason).or_default() += 1;
        if let Some(class) = found.images[number as usize].record.class() {
            *counts.classes.entry(class).or_default() += 1;
        }
    }
    let size_of = |split: &str| {
        sizes.iter().filter(|((there, _), _)| *there == split).map(|(_, size)| size).sum()
    };
    let summary = |((split, within), counts): ((&str, &str), Counts<'_>)| {
        let class = |(class, matched): (&str, u64)| ClassOverlap {
            class: class.to_owned(),
            images: sizes[&(split, Some(class))],
            matched,
        };
        let mut classes: Vec<ClassOverlap> = counts.classes.into_iter().map(class).collect();
        classes.sort_by_key(|class| std::cmp::Reverse(class.matched));
        let copies = counts.by_reason.iter().filter(|(reason, _)| reason.is_copy());
        SplitPairSummary {
            split: split.to_owned(),
            within: within.to_owned(),
            is_judge: standing(Some(split)) > standing(Some(within)),
            images: size_of(split),
            matched: counts.by_reason.values().sum(),
            copies: copies.map(|(_, number)| number).sum(),
            by_reason: counts.by_reason.iter().map(|(&reason, &number)| (reason, number)).collect(),
            classes,
        }
    };
    let mut split_pairs: Vec<SplitPairSummary> = tally.into_iter().map(summary).collect();
    let place = |name: &str| splits.iter().position(|split| split == name);
    split_pairs.sort_by_key(|summary| {
        let judge = std::cmp::Reverse(standing(Some(&summary.split)));
        (judge, standing(Some(&summary.within)), place(&summary.split), place(&summary.within))
    });
    split_pairs
}

#[derive(Default)]
struct Counts<'a> {
    by_reason: BTreeMap<PairReason, u64>,
    classes: BTreeMap<&'a str, u64>,
}
