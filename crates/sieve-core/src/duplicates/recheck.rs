//! Pairs that seem to be the same are looked at closely, from their files.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::image_set::ImageSet;
use super::null_model::NullModel;
use super::verify::TentativeMatch;
use crate::Error;
use crate::likeness::{CloseComparison, CloseFeatures, ImagePyramid};
use crate::measuring::Closeup;
use crate::progress::Progress;

/// Close-ups that are in memory together at most, but for those of one pair: 113 MB.
const MOST: usize = 4096;

/// Those of `pairs` that can be looked at closely, and what is known of them then; not those of which a file cannot be read
/// any more, or that slide off each other.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn compared(
    prepared: &ImageSet<'_>,
    pairs: &[TentativeMatch],
    levels: &NullModel,
    progress: &dyn Progress,
) -> Result<Vec<(TentativeMatch, CloseComparison)>, Error> {
    let looks = &prepared.looks;
    let mut compared = Vec::with_capacity(pairs.len());
    for batch in batches(pairs, |pair| [pair.a, pair.b]) {
        let mut wanted: Vec<u32> = batch.iter().flat_map(|pair| [pair.a, pair.b]).collect();
        wanted.sort_unstable();
        wanted.dedup();
        progress.begin("looking closely", Some(wanted.len() as u64));
        let read = prepared.visit(&wanted, progress, |index, bytes, limits| {
            Closeup::decode(bytes, limits, looks.image_at(index as usize)?.content()).ok()
        })?;
        let closeups: BTreeMap<u32, Closeup> =
            wanted.into_iter().zip(read).filter_map(|(index, one)| Some((index, one?))).collect();
        let image_at = |index: u32| looks.image_at(index as usize);
        let looked = batch.par_iter().map(|pair| {
            let shown = [image_at(pair.a)?, image_at(pair.b)?];
            let closeups = [closeups.get(&pair.a)?, closeups.get(&pair.b)?];
            Some((*pair, compare_pair(pair, shown, closeups, levels)?))
        });
        let looked: Vec<Option<(TentativeMatch, CloseComparison)>> = looked.collect();
        compared.extend(looked.into_iter().flatten());
    }
    Ok(compared)
}

/// All that is known of a pair; none where the two slide off each other.
pub fn compare_pair(
    pair: &TentativeMatch,
    shown: [&ImagePyramid; 2],
    closeups: [&Closeup; 2],
    levels: &NullModel,
) -> Option<CloseComparison> {
    let close = CloseFeatures::new(closeups[0], closeups[1], &pair.map)?;
    let [first, second] = shown;
    let shared = pair.placing(first, second).shared_content;
    Some(CloseComparison {
        tentative: pair.verdict.log_odds,
        ways: pair.ways,
        plain: first.plain.max(second.plain),
        shared: shared[0].min(shared[1]),
        excess: levels.excess([pair.a, pair.b], shown, &pair.map),
        close,
        is_replayed: false,
    })
}

/// The pairs in runs that have about [`MOST`] images at most.
fn batches<P>(pairs: &[P], images: impl Fn(&P) -> [u32; 2]) -> Vec<&[P]> {
    let mut batches = Vec::new();
    let (mut begin, mut here) = (0, std::collections::HashSet::new());
    for (place, pair) in pairs.iter().enumerate() {
        if here.len() >= MOST {
            batches.push(&pairs[begin..place]);
            begin = place;
            here.clear();
        }
        here.extend(images(pair));
    }
    batches.push(&pairs[begin..]);
    batches.retain(|batch| !batch.is_empty());
    batches
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn batches_are_all_pairs_in_order_and_none_has_too_many_pictures() {
        let pairs: Vec<usize> = (0..MOST * 2).collect();
        // Each image is in two pairs that follow each other.
        let found = batches(&pairs, |&at| [at as u32, at as u32 + 1]);
        assert_eq!(found.concat(), pairs);
        assert!(found.len() == 3 && found.iter().all(|batch| batch.len() <= MOST));
        assert!(batches(&[0; 0], |_| [0, 0]).is_empty());
    }
}
