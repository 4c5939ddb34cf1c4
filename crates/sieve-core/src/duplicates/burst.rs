//! Frames of one moment by their times: what was taken by one camera within seconds, and looks alike.

use std::collections::{BTreeMap, HashMap, HashSet};

use rayon::prelude::*;

use super::grouping::Link;
use super::kind::Kind;
use super::pair_verdicts::PairVerdict;
use super::prepared::PreparedImages;
use crate::Error;
use crate::disjoint_sets::DisjointSets;
use crate::likeness::moment;
use crate::measuring::Measured;
use crate::progress::Progress;

/// Seconds between two frames of a burst: hand-held series shoot faster than this.
const SECONDS: i64 = 3;
/// Frames ahead that each is compared with.
const AHEAD: usize = 3;

/// Pairs of pictures of one size that one camera took within seconds, the smaller number first. What was
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

/// Cosine of two frames of a moment, at least.
const MOMENT: f32 = 0.80;

/// Two pictures and what is said of them.
pub type Linked = ((u32, u32), Link);

/// Pairs of different pictures of one collection that are frames of one moment. Frames of a still hand are laid over each
/// other without a doubt; what has moved is nevertheless another picture. `same` are the duplicates.
pub fn by_time(
    prepared: &mut PreparedImages<'_>,
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
    let needed: Vec<u32> = near.iter().flat_map(|&(a, b)| [a, b]).collect();
    prepared.load(&needed, progress)?;
    let looks = &prepared.looks;
    let image_at = |index: u32| looks.image_at(index as usize);
    let alike = |&(a, b): &(u32, u32)| -> Option<Linked> {
        let (first, second) = (image_at(a)?, image_at(b)?);
        let score = moment(first, second).filter(|&score| score >= MOMENT)?;
        Some(((a, b), Link { kind: Kind::Burst, score }))
    };
    let mut found: Vec<Linked> = near.par_iter().filter_map(alike).collect();
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
        Some(((a, b), Link { kind: Kind::Burst, score: moment(first, second)? }))
    }));
    Ok(found)
}
