//! Which pictures to remove so that no picture is in two splits.

use std::cmp::Reverse;
use std::collections::BTreeMap;

use super::standing;
use super::twins::{Bond, Twin};
use crate::duplicates::Found;

/// A picture to remove from its split, and why.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Removal {
    /// Its number in [`Found::pictures`].
    pub picture: u32,
    /// The twin that stays.
    pub because_of: u32,
    /// What ties them together.
    pub bond: Bond,
}

/// Removals in the order of the pictures, and the number of twins that must both stay. Of two twins
/// the one goes whose split matters less as a judge; pictures of a split in `protect` stay.
pub(super) fn removals(
    twins: &[Twin],
    found: &Found<'_>,
    protect: &[String],
) -> (Vec<Removal>, usize) {
    let split = |number: u32| found.pictures[number as usize].record.split();
    let is_kept = |number: u32| protect.iter().any(|name| Some(name.as_str()) == split(number));
    let rank = |number: u32| (is_kept(number), standing(split(number)), split(number));
    // Twins of what matters most first: what they remove need not be kept from anything else.
    let mut ordered: Vec<(u32, u32, Bond)> = twins
        .iter()
        .map(|twin| {
            let (stays, goes) =
                if rank(twin.a) >= rank(twin.b) { (twin.a, twin.b) } else { (twin.b, twin.a) };
            (stays, goes, twin.bond)
        })
        .collect();
    ordered.sort_by_key(|&(stays, goes, bond)| (Reverse(rank(stays)), bond, goes, stays));
    let mut removals: BTreeMap<u32, Removal> = BTreeMap::new();
    let mut kept = 0;
    for (stays, goes, bond) in ordered {
        if removals.contains_key(&stays) || removals.contains_key(&goes) {
            continue;
        }
        if is_kept(goes) {
            kept += 1;
        } else {
            removals.insert(goes, Removal { picture: goes, because_of: stays, bond });
        }
    }
    (removals.into_values().collect(), kept)
}
