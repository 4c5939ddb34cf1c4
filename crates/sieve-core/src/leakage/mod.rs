//! LEAKAGE: what makes a score untrue that is measured on a held-out split.

mod cross_split_pairs;
mod drift;
mod order;
mod removal;
mod split_pairs;
mod structure;

pub use cross_split_pairs::{CrossSplitPair, PairReason};
pub use drift::{Drift, PairDrift, Quantity};
pub use order::Order;
pub use removal::Removal;
pub use split_pairs::{ClassOverlap, SplitPairSummary};
pub use structure::{IndexMismatch, MissingClass};

use crate::collection::Collection;
use crate::duplicates::DuplicateReport;
use crate::limits::FindingLimits;

/// What is wrong between the splits of a collection.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Leakage {
    /// Images in each split, in the order of the splits.
    pub splits: Vec<(String, u64)>,
    /// Pairs of images of two splits that are copies, burst frames, or of one group. Every
    /// pair that was verified, and for an image that is joined to another split by a third one its
    /// first partner there. Surest kinds first.
    pub cross_split_pairs: Vec<CrossSplitPair>,
    /// For every two splits with matches how many images of the one with a copy or burst frame in the other; both
    /// ways round, the held-out split that matters most first.
    pub split_pairs: Vec<SplitPairSummary>,
    /// What to remove so that no matches are left; empty where both sides must not change.
    pub removals: Vec<Removal>,
    /// Twins of which both sides must not change.
    pub kept: usize,
    /// Classes that not every split has. Splits of images without a class are left out.
    pub missing: Vec<MissingClass>,
    /// Splits whose class folders are in another order or number.
    pub index: Vec<IndexMismatch>,
    /// Tests of whether the splits are alike, the largest effect first.
    pub drift: Vec<Drift>,
    /// Whether the splits are runs of the file list; none where this cannot be told.
    pub order: Option<Order>,
}

/// Compares the splits of `collection`, which was searched for `found`. Twins are removed from the
/// split that matters least, and never from those that `protect` names.
pub fn leakage(
    collection: &Collection,
    found: &DuplicateReport<'_>,
    limits: &FindingLimits,
    protect: &[String],
) -> Leakage {
    let splits = &collection.splits;
    if splits.len() < 2 {
        return Leakage::default();
    }
    let in_split = |split: &String| {
        let of_it = found.images.iter().filter(|one| one.record.split() == Some(split));
        of_it.count() as u64
    };
    let cross_split_pairs = cross_split_pairs::cross_split_pairs(found);
    let (removals, kept) = removal::removals(&cross_split_pairs, found, protect);
    let (mut drift, mut order) = (drift::drift(collection, found), order::order(collection, found));
    drift::correct(&mut drift, order.as_mut(), limits);
    Leakage {
        splits: splits.iter().map(|split| (split.clone(), in_split(split))).collect(),
        split_pairs: split_pairs::split_pairs(splits, &cross_split_pairs, found),
        cross_split_pairs,
        removals,
        kept,
        missing: structure::missing(collection),
        index: structure::index(collection),
        drift,
        order,
    }
}

/// How much a split matters as a judge: what is tested on more than what is tuned on, and that more
/// than what is trained on.
pub(crate) fn standing(split: Option<&str>) -> usize {
    match split {
        Some("test") => 3,
        Some("validation") => 2,
        Some("train") => 0,
        _ => 1,
    }
}

#[cfg(test)]
mod tests;
