//! Pairs that thumbnails leave in doubt are looked at again, larger, from their files.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::subjects::Subjects;
use super::verify::Verified;
use crate::Error;
use crate::likeness::{Doubt, Subject};
use crate::measuring::Closeup;
use crate::progress::Watch;

/// Close-ups that are in memory together at most, but for those of one pair: 75 MB.
const MOST: usize = 8192;

/// `verified` with what a second look says of pairs that are in doubt. Those that look alike at most stay as they
/// are, or fall away when they did not look alike before; so do pairs of which a file cannot be read any more.
///
/// # Errors
///
/// When `watch` asks to stop.
pub fn looked_at_again(
    subjects: &Subjects<'_>,
    mut verified: Vec<Verified>,
    watch: &dyn Watch,
) -> Result<Vec<Verified>, Error> {
    let is_doubtful = |&at: &usize| verified[at].is_worth_a_second_look();
    let doubtful: Vec<usize> = (0..verified.len()).filter(is_doubtful).collect();
    for batch in batches(&doubtful, |at| [verified[at].a, verified[at].b]) {
        let mut wanted: Vec<u32> =
            batch.iter().flat_map(|&at| [verified[at].a, verified[at].b]).collect();
        wanted.sort_unstable();
        wanted.dedup();
        watch.begin("looking closely", Some(wanted.len() as u64));
        let read =
            subjects.visit(&wanted, watch, |bytes, limits| Closeup::of(bytes, limits).ok())?;
        let closeups: BTreeMap<u32, Closeup> =
            wanted.into_iter().zip(read).filter_map(|(index, one)| Some((index, one?))).collect();
        let looks = &subjects.looks;
        let looked = batch.par_iter().map(|&at| {
            let pair = verified[at];
            let subject = |index: u32| looks.subject(index as usize);
            let shown = [subject(pair.a)?, subject(pair.b)?];
            settled(&pair, shown, [closeups.get(&pair.a)?, closeups.get(&pair.b)?])
        });
        let looked: Vec<Option<Verified>> = looked.collect();
        for (&at, looked) in batch.iter().zip(looked) {
            verified[at] = looked.unwrap_or(verified[at]);
        }
    }
    verified.retain(|pair| pair.verdict.is_alike());
    Ok(verified)
}

/// What close-ups make sure of a pair; none where they do not.
pub fn settled(pair: &Verified, shown: [&Subject; 2], closeups: [&Closeup; 2]) -> Option<Verified> {
    let Verified { verdict, departures, plain, map, .. } = *pair;
    let doubt = Doubt { verdict, departures, plain, map };
    let verdict = doubt.settled(closeups[0], closeups[1])?;
    verdict.is_certain().then(|| pair.judged(verdict, shown[0], shown[1]))
}

/// The pairs in runs that have about [`MOST`] pictures at most.
fn batches(pairs: &[usize], pictures: impl Fn(usize) -> [u32; 2]) -> Vec<&[usize]> {
    let mut batches = Vec::new();
    let (mut begin, mut here) = (0, std::collections::HashSet::new());
    for (place, &at) in pairs.iter().enumerate() {
        if here.len() >= MOST {
            batches.push(&pairs[begin..place]);
            begin = place;
            here.clear();
        }
        here.extend(pictures(at));
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
        // Each picture is in two pairs that follow each other.
        let found = batches(&pairs, |at| [at as u32, at as u32 + 1]);
        assert_eq!(found.concat(), pairs);
        assert!(found.len() == 3 && found.iter().all(|batch| batch.len() <= MOST));
        assert!(batches(&[], |_| [0, 0]).is_empty());
    }
}
