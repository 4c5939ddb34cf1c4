//! Pairs that seem to be the same are looked at closely, from their files.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::levels::Levels;
use super::subjects::Subjects;
use super::verify::Seeming;
use crate::Error;
use crate::likeness::{Examined, Features, Region, Subject};
use crate::measuring::Closeup;
use crate::progress::Watch;

/// Close-ups that are in memory together at most, but for those of one pair: 113 MB.
const MOST: usize = 4096;

/// What a close look sees of each of `pairs`; none where a file cannot be read any more or the two slide off each
/// other.
///
/// # Errors
///
/// When `watch` asks to stop.
pub fn examined(
    subjects: &Subjects<'_>,
    pairs: &[Seeming],
    levels: &Levels,
    watch: &dyn Watch,
) -> Result<Vec<Option<Examined>>, Error> {
    let all: Vec<usize> = (0..pairs.len()).collect();
    let mut examined = vec![None; pairs.len()];
    let looks = &subjects.looks;
    for batch in batches(&all, |at| [pairs[at].a, pairs[at].b]) {
        let mut wanted: Vec<u32> =
            batch.iter().flat_map(|&at| [pairs[at].a, pairs[at].b]).collect();
        wanted.sort_unstable();
        wanted.dedup();
        watch.begin("looking closely", Some(wanted.len() as u64));
        let read = subjects.visit(&wanted, watch, |index, bytes, limits| {
            let content = looks.content(index as usize).unwrap_or(Region::WHOLE);
            Closeup::of(bytes, limits, content).ok()
        })?;
        let closeups: BTreeMap<u32, Closeup> =
            wanted.into_iter().zip(read).filter_map(|(index, one)| Some((index, one?))).collect();
        let looked = batch.par_iter().map(|&at| {
            let pair = &pairs[at];
            let subject = |index: u32| looks.subject(index as usize);
            let shown = [subject(pair.a)?, subject(pair.b)?];
            of_pair(pair, shown, [closeups.get(&pair.a)?, closeups.get(&pair.b)?], levels)
        });
        let looked: Vec<Option<Examined>> = looked.collect();
        batch.iter().zip(looked).for_each(|(&at, looked)| examined[at] = looked);
    }
    Ok(examined)
}

/// All that is known of a pair; none where the two slide off each other.
pub fn of_pair(
    pair: &Seeming,
    shown: [&Subject; 2],
    closeups: [&Closeup; 2],
    levels: &Levels,
) -> Option<Examined> {
    let close = Features::of(closeups[0], closeups[1], &pair.map)?;
    let [first, second] = shown;
    let shared = pair.placing(first, second).shared_content;
    Some(Examined {
        seeming: pair.verdict.log_odds,
        ways: pair.ways,
        plain: first.plain.max(second.plain),
        shared: shared[0].min(shared[1]),
        excess: levels.excess([pair.a, pair.b], shown, &pair.map),
        close,
    })
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
