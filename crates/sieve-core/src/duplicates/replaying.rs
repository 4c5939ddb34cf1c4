//! Pairs that look the same are made again, from their files: what can be made again is a copy.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;

use super::image_set::ImageSet;
use crate::Error;
use crate::affine::Affine;
use crate::progress::Progress;
use crate::replay::{Replayable, is_copy_of, is_replayed};

/// Pixels of the images that are in memory together, but for those of one pair: some 400 MB with what JPEGs store.
const MOST_PX: u64 = 64 << 20;

/// Two images, and what brings the first to the second.
#[derive(Clone, Copy, Debug)]
pub struct Placed {
    pub pair: [u32; 2],
    pub map: Affine,
}

/// Whether one image of each of `pairs` can be made again from the other.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn replayed(
    prepared: &ImageSet<'_>,
    pairs: &[Placed],
    progress: &dyn Progress,
) -> Result<Vec<bool>, Error> {
    of_pairs(prepared, pairs, progress, is_replayed)
}

/// Whether the second image of each of `pairs` can be made again from the first.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn second_replayed(
    prepared: &ImageSet<'_>,
    pairs: &[Placed],
    progress: &dyn Progress,
) -> Result<Vec<bool>, Error> {
    of_pairs(prepared, pairs, progress, |first, second, map| is_copy_of(second, first, map))
}

/// `holds` of each pair; not where a file cannot be read again.
fn of_pairs(
    prepared: &ImageSet<'_>,
    pairs: &[Placed],
    progress: &dyn Progress,
    holds: impl Fn(&Replayable, &Replayable, &Affine) -> bool + Sync,
) -> Result<Vec<bool>, Error> {
    let pixels = |index: u32| {
        let facts = &prepared.images[index as usize].measured.facts;
        u64::from(facts.width_px) * u64::from(facts.height_px)
    };
    let mut all = Vec::with_capacity(pairs.len());
    while all.len() < pairs.len() {
        let (mut wanted, mut sum) = (BTreeSet::new(), 0);
        let left = &pairs[all.len()..];
        let mut fits = |placed: &&Placed| {
            let is_room = sum < MOST_PX;
            let added = placed.pair.into_iter().filter(|&index| is_room && wanted.insert(index));
            sum += added.map(pixels).sum::<u64>();
            is_room
        };
        let batch = &left[..left.iter().take_while(&mut fits).count()];
        let wanted: Vec<u32> = wanted.into_iter().collect();
        progress.begin("verifying copies", Some(wanted.len() as u64));
        let read = prepared
            .visit(&wanted, progress, |_, bytes, limits| Replayable::decode(bytes, limits))?;
        let images: BTreeMap<u32, Replayable> =
            wanted.into_iter().zip(read).filter_map(|(index, one)| Some((index, one?))).collect();
        let of_one = |placed: &Placed| {
            let [Some(a), Some(b)] = placed.pair.map(|index| images.get(&index)) else {
                return false;
            };
            !progress.stopped() && holds(a, b, &placed.map)
        };
        all.extend(batch.par_iter().map(of_one).collect::<Vec<bool>>());
    }
    if progress.stopped() {
        return Err(Error::Interrupted);
    }
    let proven = all.iter().filter(|proven| **proven).count();
    tracing::debug!(tried = pairs.len(), proven, "copies made again");
    Ok(all)
}
