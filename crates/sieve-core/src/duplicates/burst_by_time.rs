//! Frames of one moment by their times: what was taken by one camera within seconds, and is more alike than what the same
//! camera took at other times. Seconds alone say nothing: images are exported, scanned and numbered within seconds, too.

use std::collections::{BTreeMap, HashMap, HashSet};

use rayon::prelude::*;
use statrs::distribution::{Binomial, DiscreteCDF};

use super::clustering::Link;
use super::image_set::ImageSet;
use super::kind::Kind;
use super::pair_verdicts::PairVerdict;
use crate::Error;
use crate::disjoint_sets::DisjointSets;
use crate::likeness::moment;
use crate::measuring::Measured;
use crate::progress::Progress;

/// Seconds between two frames of a burst: hand-held series shoot faster than this.
const SECONDS: i64 = 3;
/// Frames ahead that each is compared with.
const AHEAD: usize = 3;

/// Pairs of images of one size that one camera took within seconds, the smaller number first. What was
/// taken at the same instant is a copy rather than a frame.
fn neighbours(images: &[&Measured]) -> Vec<(u32, u32)> {
    let mut by_camera: BTreeMap<&str, Vec<(i64, u32)>> = BTreeMap::new();
    for (index, measured) in (0u32..).zip(images) {
        if let Some(second) = measured.facts.captured_seconds() {
            let camera = measured.facts.camera.as_deref().unwrap_or_default();
            by_camera.entry(camera).or_default().push((second, index));
        }
    }
    let mut pairs = Vec::new();
    for frames in by_camera.values_mut() {
        frames.sort_unstable();
        for (place, &(first, a)) in frames.iter().enumerate() {
            let next = frames[place + 1..].iter().take(AHEAD);
            let close = next.take_while(|(second, _)| second - first <= SECONDS);
            pairs.extend(close.map(|&(_, b)| (a.min(b), a.max(b))));
        }
    }
    pairs.retain(|&(a, b)| {
        let facts = |index: u32| &images[index as usize].facts;
        let (a, b) = (facts(a), facts(b));
        (a.width_px, a.height_px) == (b.width_px, b.height_px) && a.captured != b.captured
    });
    pairs.sort_unstable();
    pairs
}

/// Pairs of images of one size that one camera took at quite other times.
fn strangers(images: &[&Measured]) -> Vec<(u32, u32)> {
    type Setting<'a> = (&'a str, u32, u32);
    let mut by_setting: BTreeMap<Setting<'_>, Vec<(i64, u32)>> = BTreeMap::new();
    for (index, measured) in (0u32..).zip(images) {
        let facts = &measured.facts;
        if let Some(second) = facts.captured_seconds() {
            let camera = facts.camera.as_deref().unwrap_or_default();
            let setting = (camera, facts.width_px, facts.height_px);
            by_setting.entry(setting).or_default().push((second, index));
        }
    }
    let mut pairs = Vec::new();
    for frames in by_setting.values_mut() {
        frames.sort_unstable();
        for share in APART {
            let apart = ((frames.len() as f64 * share) as usize).max(1);
            let far = frames.iter().zip(frames.iter().skip(apart));
            let far = far.filter(|(first, second)| second.0 - first.0 >= STRANGE_SECONDS);
            pairs.extend(far.map(|(first, second)| (first.1.min(second.1), first.1.max(second.1))));
        }
    }
    pairs.sort_unstable();
    pairs.dedup();
    // Evenly spread over all of them.
    let step = pairs.len().div_ceil(MOST_STRANGERS).max(1);
    pairs.into_iter().step_by(step).collect()
}

/// Cosine of two frames of a moment, at least.
const MOMENT: f32 = 0.80;
/// Pairs of images that are far apart in time: by these shares of all that one camera took.
const APART: [f64; 3] = [1.0 / 3.0, 0.4, 0.5];
/// Seconds between two images that are surely not of one moment.
const STRANGE_SECONDS: i64 = 60;
/// Such pairs that are looked at, and that are needed to say anything.
const MOST_STRANGERS: usize = 3000;
const LEAST_STRANGERS: usize = 20;
/// The share of pairs far apart in time below which a pair must lie to be a moment's.
const RARE: f64 = 0.01;
/// The chance, were neighbours in time like any other images, below which they are not.
const CHANCE: f64 = 1e-3;

/// The cosine that two frames of a moment must exceed, so that they are more alike than images that the same cameras took
/// at other times; infinite where neighbours in time are no more alike than these. `near` and `far` are the cosines of both.
fn threshold(near: &[f32], mut far: Vec<f32>) -> f32 {
    if far.len() < LEAST_STRANGERS {
        return MOMENT;
    }
    far.sort_unstable_by(f32::total_cmp);
    // The rarest hundredth, where several neighbours are as alike; where there are only a few, the most alike of all.
    let rare = ((1.0 - RARE) * far.len() as f64) as usize;
    let levels =
        [(far[rare.min(far.len() - 1)], RARE), (far[far.len() - 1], 1.0 / far.len() as f64)];
    let is_beyond_chance = |&(level, share): &(f32, f64)| {
        let above = near.iter().filter(|&&cosine| cosine > level).count() as u64;
        let all = Binomial::new(share, near.len() as u64);
        above > 0 && all.is_ok_and(|all| all.sf(above - 1) < CHANCE)
    };
    let level = levels.iter().find(|level| is_beyond_chance(level));
    level.map_or(f32::INFINITY, |&(level, _)| level.max(MOMENT))
}

/// Two images and what is said of them.
pub type Linked = ((u32, u32), Link);

/// Pairs of different images of one collection that are burst frames. Frames of a still hand are laid over each
/// other without a doubt; what has moved is nevertheless another image. `same` are the duplicates.
pub fn by_time(
    prepared: &mut ImageSet<'_>,
    leaders: &[u32],
    same: &HashMap<(u32, u32), PairVerdict>,
    progress: &dyn Progress,
) -> Result<Vec<Linked>, Error> {
    let files: Vec<_> =
        leaders.iter().map(|&index| prepared.images[index as usize].measured).collect();
    let near: Vec<(u32, u32)> = neighbours(&files)
        .into_iter()
        .map(|(a, b)| (leaders[a as usize], leaders[b as usize]))
        .filter(|&(a, b)| {
            prepared.images[a as usize].collection == prepared.images[b as usize].collection
        })
        .filter(|pair| same.get(pair).is_none_or(|pair| !pair.is_still))
        .collect();
    if near.is_empty() {
        return Ok(Vec::new());
    }
    let far: Vec<(u32, u32)> = strangers(&files)
        .into_iter()
        .map(|(a, b)| (leaders[a as usize], leaders[b as usize]))
        .filter(|pair| !same.contains_key(pair))
        .collect();
    let needed: Vec<u32> = near.iter().chain(&far).flat_map(|&(a, b)| [a, b]).collect();
    prepared.load(&needed, progress)?;
    let looks = &prepared.looks;
    let image_at = |index: u32| looks.image_at(index as usize);
    let cosine = |&(a, b): &(u32, u32)| moment(image_at(a)?, image_at(b)?);
    let cosines: Vec<Option<f32>> = near.par_iter().map(cosine).collect();
    let known: Vec<f32> = cosines.iter().copied().flatten().collect();
    let least = threshold(&known, far.par_iter().filter_map(cosine).collect());
    let alike = |(&pair, score): (&(u32, u32), Option<f32>)| -> Option<Linked> {
        let score = score.filter(|&score| score >= least)?;
        Some((pair, Link::burst(score)))
    };
    let mut found: Vec<Linked> = near.iter().zip(cosines).filter_map(alike).collect();
    // Frames that lie further apart than was looked belong to the same moment as those between, and
    // so do two between which nothing has moved.
    let mut moments = DisjointSets::new(prepared.images.len());
    found.iter().for_each(|&((a, b), _)| moments.union(a, b));
    let known: HashSet<(u32, u32)> = found.iter().map(|&(pair, _)| pair).collect();
    let mut others: Vec<(u32, u32)> = same
        .iter()
        .filter(|(pair, same)| same.kind != Kind::SamePixels && !known.contains(pair))
        .map(|(pair, _)| *pair)
        .filter(|&(a, b)| moments.find(a) == moments.find(b))
        .collect();
    others.sort_unstable();
    prepared.load(&others.iter().flat_map(|&(a, b)| [a, b]).collect::<Vec<_>>(), progress)?;
    let looks = &prepared.looks;
    found.extend(others.into_iter().filter_map(|(a, b)| {
        let (first, second) = (looks.image_at(a as usize)?, looks.image_at(b as usize)?);
        Some(((a, b), Link::burst(moment(first, second)?)))
    }));
    Ok(found)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn neighbours_in_time_must_be_more_alike_than_other_pictures() {
        let spread = |count: usize, from: f32, to: f32| -> Vec<f32> {
            (0..count).map(|at| from + (to - from) * at as f32 / count as f32).collect()
        };
        // Too few to compare with: what is alike is a moment.
        assert_eq!(threshold(&[0.9], spread(19, 0.0, 0.5)), MOMENT);
        // Images that all look alike, taken one after the other: as alike as any two others.
        let skies = spread(1000, 0.5, 0.95);
        assert_eq!(threshold(&skies, skies.clone()), f32::INFINITY);
        // A few frames among images that are less alike, and a single pair beyond all of a thousand others.
        let least = threshold(&[0.97, 0.98, 0.96, 0.3], skies.clone());
        assert!((0.94..0.96).contains(&least), "{least}");
        assert!(threshold(&[0.97], spread(2000, 0.5, 0.95)).is_finite());
        assert_eq!(threshold(&[0.94], spread(2000, 0.5, 0.95)), f32::INFINITY);
    }
}
