//! Fingerprints that are within a few bits of each other: exact, without comparing all with all.
//!
//! Fingerprints are cut into 13 chunks. Two that differ in at most 25 bits differ in at most one bit
//! of some chunk; so for each chunk only those are compared whose chunks are equal or one bit apart
//! (multi-index hashing: Norouzi, Punjani and Fleet, 2012). Only who belongs together is kept: a
//! fingerprint is compared with those of other sets alone, and a set is joined at the first hit, so
//! that thousands of nearly the same are not compared all with all.

use crate::Error;
use crate::disjoint_sets::DisjointSets;
use crate::measuring::Fingerprint;
use crate::progress::Progress;

/// Bits in which two fingerprints may differ and still meet.
pub const RADIUS_BITS: u32 = 24;
/// So many chunks that two fingerprints within the radius are within one bit in some chunk.
const CHUNKS: usize = RADIUS_BITS as usize / 2 + 1;
/// Up to this many are compared all with all, which costs less than building tables.
const FEW: usize = 400;
/// Bits of a fingerprint.
const BITS: usize = 256;

/// Joins in `sets` all of `fingerprints` that are at most [`RADIUS_BITS`] apart.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn union_near(
    fingerprints: &[Fingerprint],
    sets: &mut DisjointSets,
    progress: &dyn Progress,
) -> Result<(), Error> {
    // The same fingerprint counts once.
    let mut order: Vec<u32> = (0..fingerprints.len() as u32).collect();
    order.sort_unstable_by_key(|&index| (fingerprints[index as usize], index));
    let mut distinct: Vec<u32> = Vec::new();
    for &index in &order {
        match distinct.last() {
            Some(&last) if fingerprints[last as usize] == fingerprints[index as usize] => {
                sets.union(last, index);
            }
            _ => distinct.push(index),
        }
    }
    let words: Vec<[u64; 4]> =
        distinct.iter().map(|&index| words(fingerprints[index as usize])).collect();
    if distinct.len() <= FEW {
        for (place, name) in distinct.iter().enumerate() {
            let others = distinct[..place].iter().zip(&words);
            let is_close =
                |(_, other): &(&u32, &[u64; 4])| distance_bits(&words[place], other) <= RADIUS_BITS;
            others.filter(is_close).for_each(|(other, _)| sets.union(*name, *other));
        }
        return Ok(());
    }
    for chunk in 0..CHUNKS {
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        let (from, to) = (chunk * BITS / CHUNKS, (chunk + 1) * BITS / CHUNKS);
        meet_in_chunk(&words, &distinct, from, to - from, sets);
    }
    Ok(())
}

fn words(fingerprint: Fingerprint) -> [u64; 4] {
    let (lanes, _) = fingerprint.0.as_chunks::<8>();
    std::array::from_fn(|at| u64::from_le_bytes(lanes[at]))
}

fn distance_bits(a: &[u64; 4], b: &[u64; 4]) -> u32 {
    a.iter().zip(b).map(|(a, b)| (a ^ b).count_ones()).sum()
}

fn meet_in_chunk(
    words: &[[u64; 4]],
    names: &[u32],
    from: usize,
    bits: usize,
    sets: &mut DisjointSets,
) {
    let key = |words: &[u64; 4]| -> u32 {
        let (word, shift) = (from / 64, from % 64);
        let low = words[word] >> shift;
        let high = if shift + bits > 64 { words[word + 1] << (64 - shift) } else { 0 };
        ((low | high) & ((1 << bits) - 1)) as u32
    };
    // Where the members of each bucket begin in `members`.
    let mut begins = vec![0u32; (1 << bits) + 1];
    for fingerprint in words {
        begins[key(fingerprint) as usize + 1] += 1;
    }
    for at in 1..begins.len() {
        begins[at] += begins[at - 1];
    }
    let mut next = begins.clone();
    let mut members = vec![0u32; words.len()];
    for (index, fingerprint) in (0u32..).zip(words) {
        let place = &mut next[key(fingerprint) as usize];
        members[*place as usize] = index;
        *place += 1;
    }
    drop(next);
    let bucket = |key: usize| &members[begins[key] as usize..begins[key + 1] as usize];
    let mut near: Vec<u32> = Vec::new();
    for key in 0..1usize << bits {
        if bucket(key).is_empty() {
            continue;
        }
        near.clear();
        near.extend_from_slice(bucket(key));
        let own = near.len();
        for bit in 0..bits {
            let other = key ^ (1 << bit);
            if other > key {
                near.extend_from_slice(bucket(other));
            }
        }
        join_within(&near, own, words, names, sets);
    }
}

/// Joins each of the first `own` of `near` with all of them that are close.
fn join_within(
    near: &[u32],
    own: usize,
    words: &[[u64; 4]],
    names: &[u32],
    sets: &mut DisjointSets,
) {
    if near.len() < 2 {
        return;
    }
    // Who is there, set by set.
    let mut here: Vec<(u32, u32)> = near
        .iter()
        .enumerate()
        .map(|(place, &index)| (sets.find(names[index as usize]), place as u32))
        .collect();
    if here.iter().all(|(set, _)| *set == here[0].0) {
        return;
    }
    here.sort_unstable();
    for place in 0..own {
        let index = near[place] as usize;
        let name = names[index];
        for others in here.chunk_by(|a, b| a.0 == b.0) {
            // The sets may have grown since they were listed.
            if sets.find(others[0].0) == sets.find(name) {
                continue;
            }
            let is_close = |&&(_, other): &&(u32, u32)| {
                distance_bits(&words[index], &words[near[other as usize] as usize]) <= RADIUS_BITS
            };
            if let Some(&(_, other)) = others.iter().find(is_close) {
                sets.union(name, names[near[other as usize] as usize]);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::progress::NoProgress;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(16))]

        #[test]
        fn sets_are_those_of_comparing_all_with_all(
            seeds in prop::collection::vec((0u8..4, prop::collection::vec(0usize..255, 0..40)), 2..40),
        ) {
            // A few images and what is left of them after some bits have changed.
            let fingerprints: Vec<Fingerprint> = seeds.iter().map(|(base, flips)| {
                let mut bits = *blake3::hash(&[*base]).as_bytes();
                flips.iter().for_each(|bit| bits[bit / 8] ^= 1 << (bit % 8));
                Fingerprint(bits)
            }).collect();
            // Strangers, so that there are too many to compare all with all.
            let strangers = (0..500u32).map(|n| Fingerprint(*blake3::hash(&n.to_le_bytes()).as_bytes()));
            let sample: Vec<Fingerprint> = fingerprints.iter().copied().chain(strangers).collect();
            let mut among = DisjointSets::new(sample.len());
            union_near(&sample, &mut among, &NoProgress).unwrap();
            let (mut fast, mut slow) = (DisjointSets::new(seeds.len()), DisjointSets::new(seeds.len()));
            union_near(&fingerprints, &mut fast, &NoProgress).unwrap();
            for (a, one) in (0u32..).zip(&fingerprints) {
                for (b, other) in (0u32..).zip(&fingerprints) {
                    if one.distance_bits(*other) <= RADIUS_BITS {
                        slow.union(a, b);
                    }
                }
            }
            let of = |sets: &mut DisjointSets| (0..seeds.len() as u32).map(|a| sets.find(a)).collect::<Vec<_>>();
            prop_assert_eq!(of(&mut fast), of(&mut slow));
            prop_assert_eq!(of(&mut among), of(&mut slow));
        }
    }
}
