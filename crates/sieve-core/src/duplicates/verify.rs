//! Laying candidates over each other: which of them seem to show the same.

use rayon::prelude::*;

use super::candidates::Candidate;
use crate::Error;
use crate::affine::Affine;
use crate::likeness::{ImagePyramid, Placing, Scratch, Start, Verdict, compare};
use crate::progress::Progress;

/// Log odds from which two images seem to show the same: what a close look makes sure of or not.
const TENTATIVE: f32 = 0.5;

/// Two images that seem to show the same.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TentativeMatch {
    /// The first image, the smaller number.
    pub a: u32,
    /// The second.
    pub b: u32,
    /// What thumbnails say.
    pub verdict: Verdict,
    /// In which ways one was changed to lie on the other, as `likeness::placement` counts them.
    pub ways: [bool; 4],
    /// From the first to the second.
    pub map: Affine,
    /// Whether nothing has moved and nearly every detail is the same: not another frame.
    pub is_still: bool,
}

impl TentativeMatch {
    /// How they lie on each other.
    pub fn placing(&self, first: &ImagePyramid, second: &ImagePyramid) -> Placing {
        let contents = [first.content(), second.content()];
        Placing::new(&self.map, [first.aspect, second.aspect], contents)
    }
}

/// Those of `candidates` that seem to show the same, by their numbers. `image_at` gives the planes of an image.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn verify<'a>(
    candidates: &[Candidate],
    image_at: impl Fn(usize) -> Option<&'a ImagePyramid> + Sync,
    progress: &dyn Progress,
) -> Result<Vec<TentativeMatch>, Error> {
    // All that may show how two images lie on each other, together, and pair after pair.
    let key = |candidate: &Candidate| {
        let (a, b) = (candidate.wanted, candidate.found);
        (a.min(b), a.max(b))
    };
    let mut order: Vec<&Candidate> = candidates.iter().collect();
    order.sort_by_key(|candidate| key(candidate));
    let by_first: Vec<&[&Candidate]> = order.chunk_by(|a, b| key(a).0 == key(b).0).collect();
    let verified = by_first.par_iter().map_init(Scratch::default, |scratch, candidates| {
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        progress.advance(candidates.len() as u64);
        let Some(first) = image_at(key(candidates[0]).0 as usize) else { return Ok(Vec::new()) };
        let pairs = candidates.chunk_by(|a, b| key(a).1 == key(b).1);
        let verified = pairs.filter_map(|pair| {
            let second = image_at(key(pair[0]).1 as usize)?;
            of_pair(pair, first, second, scratch)
        });
        Ok(verified.collect())
    });
    let verified: Vec<Vec<TentativeMatch>> = verified.collect::<Result<_, Error>>()?;
    Ok(verified.into_iter().flatten().collect())
}

/// The share of a side by which two ways of lying on each other are still one.
const SAME_WAY: f64 = 1e-3;

/// What the likeliest way to lie on each other says of two images, which all of `pair` are about;
/// `first` is the one with the smaller number.
fn of_pair(
    pair: &[&Candidate],
    first: &ImagePyramid,
    second: &ImagePyramid,
    scratch: &mut Scratch,
) -> Option<TentativeMatch> {
    let (a, b) = (pair[0].wanted.min(pair[0].found), pair[0].wanted.max(pair[0].found));
    let mut attempt = |from_first: bool, start: &Start| {
        let (wanted, found) = if from_first { (first, second) } else { (second, first) };
        let features = compare(wanted, found, start, scratch)?;
        let map = if from_first { features.map } else { features.map.inverse()? };
        let (verdict, ways) = (Verdict::from_features(&features), features.ways);
        Some(TentativeMatch { a, b, verdict, ways, map, is_still: features.is_still() })
    };
    let mut best: Option<TentativeMatch> = None;
    let mut keep = |tried: Option<TentativeMatch>| {
        if let Some(TentativeMatch { verdict, .. }) = tried
            && best.is_none_or(|known| verdict.log_odds > known.verdict.log_odds)
        {
            best = tried;
        }
        best
    };
    // Two whole images find each other in the same way: one of them is asked, and in doubt the other.
    let mut ways: Vec<(bool, Affine)> = Vec::new();
    for candidate in pair {
        if let Some(way) = candidate.start.way(candidate.wanted == a) {
            if ways.iter().any(|known| known.0 == way.0 && known.1.is_near(way.1, SAME_WAY)) {
                continue;
            }
            ways.push(way);
        }
        let known = keep(attempt(candidate.wanted == a, &candidate.start));
        if known.is_some_and(|known| known.verdict.is_conclusive()) {
            break;
        }
    }
    // In doubt, the whole of each is laid over the other, where it was found to lie.
    if let Some(TentativeMatch { verdict, map, .. }) = keep(None)
        && verdict.is_near_conclusive()
    {
        keep(attempt(true, &Start::along(map)));
        keep(map.inverse().and_then(|back| attempt(false, &Start::along(back))));
    }
    best.filter(|pair| pair.verdict.log_odds >= TENTATIVE)
}
