//! Frames of one moment by their times: what was taken by one camera within seconds, and looks alike.

use std::collections::{BTreeMap, HashMap, HashSet};

use rayon::prelude::*;

use super::grouping::Link;
use super::judged::Judged;
use super::kind::Kind;
use super::subjects::Subjects;
use crate::Error;
use crate::likeness::moment;
use crate::measuring::Measured;
use crate::progress::Watch;
use crate::sets::Sets;

/// Seconds between two frames of a burst: hand-held series shoot faster than this.
const SECONDS: i64 = 3;
/// Frames ahead that each is compared with.
const AHEAD: usize = 3;

/// Pairs of pictures of one size that one camera took within seconds, the smaller number first. What was
/// taken at the same instant is a copy rather than a frame.
fn neighbours(pictures: &[&Measured]) -> Vec<(u32, u32)> {
    let mut by_camera: BTreeMap<&str, Vec<(i64, u32)>> = BTreeMap::new();
    for (index, measured) in (0u32..).zip(pictures) {
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
        let facts = |index: u32| &pictures[index as usize].facts;
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
    subjects: &mut Subjects<'_>,
    leaders: &[u32],
    same: &HashMap<(u32, u32), Judged>,
    watch: &dyn Watch,
) -> Result<Vec<Linked>, Error> {
    let files: Vec<_> =
        leaders.iter().map(|&index| subjects.pictures[index as usize].measured).collect();
    let near: Vec<(u32, u32)> = neighbours(&files)
        .into_iter()
        .map(|(a, b)| (leaders[a as usize], leaders[b as usize]))
        .filter(|&(a, b)| subjects.pictures[a as usize].side == subjects.pictures[b as usize].side)
        .filter(|pair| same.get(pair).is_none_or(|pair| !pair.is_still))
        .collect();
    let needed: Vec<u32> = near.iter().flat_map(|&(a, b)| [a, b]).collect();
    subjects.load(&needed, watch)?;
    let looks = &subjects.looks;
    let subject = |index: u32| looks.subject(index as usize);
    let alike = |&(a, b): &(u32, u32)| -> Option<Linked> {
        let (first, second) = (subject(a)?, subject(b)?);
        let score = moment(first, second).filter(|&score| score >= MOMENT)?;
        Some(((a, b), Link { kind: Kind::Burst, score }))
    };
    let mut found: Vec<Linked> = near.par_iter().filter_map(alike).collect();
    // Frames that lie further apart than was looked belong to the same moment as those between, and
    // so do two between which nothing has moved.
    let mut moments = Sets::new(subjects.pictures.len());
    found.iter().for_each(|&((a, b), _)| moments.join(a, b));
    let known: HashSet<(u32, u32)> = found.iter().map(|&(pair, _)| pair).collect();
    let mut others: Vec<(u32, u32)> = same
        .iter()
        .filter(|(pair, same)| same.kind != Kind::SamePixels && !known.contains(pair))
        .map(|(pair, _)| *pair)
        .filter(|&(a, b)| moments.of(a) == moments.of(b))
        .collect();
    others.sort_unstable();
    subjects.load(&others.iter().flat_map(|&(a, b)| [a, b]).collect::<Vec<_>>(), watch)?;
    let looks = &subjects.looks;
    found.extend(others.into_iter().filter_map(|(a, b)| {
        let (first, second) = (looks.subject(a as usize)?, looks.subject(b as usize)?);
        Some(((a, b), Link { kind: Kind::Burst, score: moment(first, second)? }))
    }));
    Ok(found)
}
