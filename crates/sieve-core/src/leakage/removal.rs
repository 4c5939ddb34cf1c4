//! Which images to remove so that no image is in two splits.

use std::cmp::Reverse;
use std::collections::BTreeMap;

use super::cross_split_pairs::{CrossSplitPair, PairReason};
use super::standing;
use crate::duplicates::DuplicateReport;

/// An image to remove from its split, and why.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Removal {
    /// Its number in [`DuplicateReport::images`].
    pub image: u32,
    /// The match that stays.
    pub cause: u32,
    /// What ties them together.
    pub reason: PairReason,
}

/// Removals in the order of the images, and the number of matches that must both stay. Of two matches
/// the one goes whose split matters less as a judge; images of a split in `protect` stay.
pub(super) fn removals(
    cross_split_pairs: &[CrossSplitPair],
    found: &DuplicateReport<'_>,
    protect: &[String],
) -> (Vec<Removal>, usize) {
    let split = |number: u32| found.images[number as usize].record.split();
    let is_kept = |number: u32| protect.iter().any(|name| Some(name.as_str()) == split(number));
    let rank = |number: u32| (is_kept(number), standing(split(number)), split(number));
    // Twins of what matters most first: what they remove need not be kept from anything else.
    let mut ordered: Vec<(u32, u32, PairReason)> = cross_split_pairs
        .iter()
        .map(|pair| {
            let (stays, goes) =
                if rank(pair.a) >= rank(pair.b) { (pair.a, pair.b) } else { (pair.b, pair.a) };
            (stays, goes, pair.reason)
        })
        .collect();
    ordered.sort_by_key(|&(stays, goes, reason)| (Reverse(rank(stays)), reason, goes, stays));
    let mut removals: BTreeMap<u32, Removal> = BTreeMap::new();
    let mut kept = 0;
    for (stays, goes, reason) in ordered {
        if removals.contains_key(&stays) || removals.contains_key(&goes) {
            continue;
        }
        if is_kept(goes) {
            kept += 1;
        } else {
            removals.insert(goes, Removal { image: goes, cause: stays, reason });
        }
    }
    (removals.into_values().collect(), kept)
}
