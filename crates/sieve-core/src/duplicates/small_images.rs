//! Copies of small images: what has nearly the same pixels, as it stands.
//!
//! Two digits of 28 x 28 have as much in common as copies of one have, once one is cropped or tilted. So small images are
//! compared as they stand, and only what is more alike than different images of the collection are expected to be at all
//! is reported.

use std::collections::BTreeSet;

use rayon::prelude::*;

use super::image_set::{ImageRef, ImageSet};
use super::kind::{CERTAIN, Kind};
use super::null_model::{NullModel, Sample, SimilarityThreshold};
use super::pair_verdicts::{PairVerdict, REPLAYED};
use super::replaying::{Placed, replayed};
use crate::Error;
use crate::affine::Affine;
use crate::likeness::{Descriptor, Vector, cosine, whole_view};
use crate::progress::Progress;

/// Small images up to which each is compared with all: seconds of work.
const MOST: usize = 50_000;
/// Pixels that the shorter side has at least: a flag of 3 x 2 pixels is every flag of three colours.
const LEAST_SIDE_PX: u32 = 8;
/// The images nearest to one that are compared with it, and the cosine that their coarse shapes have at least.
const NEAREST: usize = 8;
const LEAST_COSINE: f32 = 0.9;
/// The likeness from which two are surely one, so that they say nothing of different images: a correlation of 0.995.
const SURELY: f32 = 5.3;
/// The likeness from which it is tried to make one again from the other: a correlation of 0.8.
const WORTH_REPLAYING: f32 = 1.6;
/// Log odds for each step beyond what is expected of different images: what a tail of the usual scale loses by it.
const STEEP: f32 = 4.0;

/// Pairs of which at least one is of `small` that are copies, by their numbers, as far as `allows`, and how alike different
/// small images get; none of these where they are not compared. `others` are all other leaders.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn match_small(
    prepared: &mut ImageSet<'_>,
    small: &[u32],
    others: &[u32],
    allows: impl Fn(&ImageRef<'_>, &ImageRef<'_>) -> bool + Sync,
    progress: &dyn Progress,
) -> Result<(Vec<PairVerdict>, Option<SimilarityThreshold>), Error> {
    let shows_something = |index: &u32| {
        let facts = &prepared.images[*index as usize].measured.facts;
        facts.width_px.min(facts.height_px) >= LEAST_SIDE_PX
    };
    let small: Vec<u32> = small.iter().copied().filter(shows_something).collect();
    if small.is_empty() || small.len() > MOST {
        return Ok((Vec::new(), None));
    }
    let all = [&small, others].concat();
    prepared.load(&all, progress)?;
    progress.begin("comparing small images", Some(small.len() as u64));
    let looks = &prepared.looks;
    let image_at = |index: u32| looks.image_at(index as usize);
    let is_small: BTreeSet<u32> = small.iter().copied().collect();
    let images = &prepared.images;
    let pairs = near_pairs(prepared, &all, &is_small, allows, progress)?;
    let likeness = |&(a, b): &(u32, u32)| -> Option<((u32, u32), f32)> {
        Some(((a, b), Descriptor::new(image_at(a)?).likeness(&Descriptor::new(image_at(b)?))))
    };
    let alike: Vec<((u32, u32), f32)> = pairs.par_iter().filter_map(likeness).collect();
    let worth = alike.iter().filter(|(_, likeness)| *likeness >= WORTH_REPLAYING);
    let placed = worth.map(|&((a, b), _)| Placed { pair: [a, b], map: Affine::IDENTITY });
    let placed: Vec<Placed> = placed.collect();
    let is_proven = replayed(prepared, &placed, progress)?;
    let proven = placed.iter().zip(is_proven).filter(|(_, is)| *is);
    let proven: BTreeSet<(u32, u32)> =
        proven.map(|(placed, _)| (placed.pair[0], placed.pair[1])).collect();
    let proven = &proven;
    // What is known of them says how alike different ones get, which are small, too.
    let above = |least: f32| {
        let known = alike
            .iter()
            .filter(move |(pair, likeness)| *likeness >= least || proven.contains(pair));
        known.map(|&(pair, _)| pair).filter(|(a, b)| is_small.contains(a) && is_small.contains(b))
    };
    let digest = |index: u32| images[index as usize].measured.digest;
    let sample = Sample::new(&small, digest).with_copies();
    let first = NullModel::new(&sample, image_at, above(SURELY), &[], progress)?;
    // Once more without what was found.
    let levels = NullModel::new(&sample, image_at, above(SURELY.min(first.all)), &[], progress)?;
    // Where there are too few of them, nothing less than this tells one from another.
    let level = if levels.is_estimated { levels.all } else { levels.all.max(SURELY) };
    let reported = alike.iter().filter_map(|&((a, b), likeness)| {
        let is_replayed = proven.contains(&(a, b));
        let log_odds = CERTAIN + STEEP * (likeness - level);
        let log_odds = if is_replayed { log_odds.max(REPLAYED) } else { log_odds };
        let (kind, map, is_still) = (Kind::Near, Affine::IDENTITY, true);
        let verdict = PairVerdict { a, b, kind, log_odds, map, is_still, is_replayed };
        (log_odds > CERTAIN).then_some(verdict)
    });
    Ok((reported.collect(), Some(levels.summary())))
}

/// Pairs of which at least one is of `small`, each with those whose coarse shape is most like its own.
fn near_pairs(
    prepared: &ImageSet<'_>,
    all: &[u32],
    small: &BTreeSet<u32>,
    allows: impl Fn(&ImageRef<'_>, &ImageRef<'_>) -> bool + Sync,
    progress: &dyn Progress,
) -> Result<Vec<(u32, u32)>, Error> {
    let looks = &prepared.looks;
    let image_at = |index: u32| looks.image_at(index as usize);
    let seen: Vec<(u32, Vector)> =
        all.par_iter().filter_map(|&index| Some((index, whole_view(image_at(index)?)?))).collect();
    let vectors: Vec<Vector> = seen.iter().map(|&(_, vector)| vector).collect();
    let images = &prepared.images;
    let nearest = |products: &mut Vec<i32>, place: usize| -> Vec<(u32, u32)> {
        progress.advance(1);
        let (index, vector) = seen[place];
        if progress.stopped() || !small.contains(&index) {
            return Vec::new();
        }
        products.resize(vectors.len(), 0);
        vector.products(&vectors, products);
        let image = |at: usize| &images[seen[at].0 as usize];
        let is_near = |&other: &usize| {
            other != place
                && cosine(products[other]) >= LEAST_COSINE
                && allows(image(place), image(other))
        };
        let mut near: Vec<usize> = (0..vectors.len()).filter(is_near).collect();
        if near.len() > NEAREST {
            near.select_nth_unstable_by_key(NEAREST, |&other| (-products[other], other));
            near.truncate(NEAREST);
        }
        let pair = |other: usize| (index.min(seen[other].0), index.max(seen[other].0));
        near.into_iter().map(pair).collect()
    };
    let pairs: BTreeSet<(u32, u32)> = (0..seen.len())
        .into_par_iter()
        .map_init(Vec::new, nearest)
        .flatten_iter()
        .collect::<Vec<_>>()
        .into_iter()
        .collect();
    if progress.stopped() {
        return Err(Error::Interrupted);
    }
    Ok(pairs.into_iter().collect())
}
