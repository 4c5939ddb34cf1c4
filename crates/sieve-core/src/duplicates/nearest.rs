//! The images that are most like one.

use std::cmp::Reverse;
use std::collections::HashMap;

use rayon::prelude::*;

use super::candidates::Candidate;
use super::image_set::{CollectionRef, ImageRef, ImageSet};
use super::kind::{CERTAIN, Kind};
use super::null_model::{NullModel, Sample};
use super::pair_verdicts::{PairVerdict, log_odds, raw};
use super::prior::PriorShift;
use super::recheck::compare_pair;
use super::verify::{TentativeMatch, verify};
use crate::Error;
use crate::affine::Affine;
use crate::likeness::{
    CloseComparison, ImagePyramid, Start, View, cosine, index_views, query_views,
};
use crate::measuring::{Closeup, Measured, Thumbnail};
use crate::progress::Progress;
use crate::replay::{Replayable, is_replayed};

/// An image and how much it is like the one that was asked for.
#[derive(Clone, Copy, Debug)]
pub struct Neighbour<'a> {
    /// The image.
    pub image: ImageRef<'a>,
    /// In which way it is the same; none when it is another image.
    pub kind: Option<Kind>,
    /// The chance that both show the same image, 0 to 1.
    pub score: f32,
    /// The cosine of the two views that are most alike, -1 to 1.
    pub likeness: f32,
}

/// Images that are laid over the one that was asked for, for each that is wanted.
const TRIED: usize = 4;

/// The `count` images of `collection` that are most like the one that was measured: those that show the
/// same first, by their score, then the others by their likeness. `bytes` are those of its file;
/// the files that seem to show the same are read again.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn nearest<'a>(
    collection: &'a CollectionRef<'a>,
    image: &(Measured, Thumbnail),
    bytes: &[u8],
    count: usize,
    progress: &dyn Progress,
) -> Result<Vec<Neighbour<'a>>, Error> {
    let mut prepared = ImageSet::new(std::slice::from_ref(collection));
    let all: Vec<u32> = (0..prepared.images.len() as u32).collect();
    prepared.load(&all, progress)?;
    let (aspect, plain) = (image.0.aspect() as f32, image.0.measures.flat_share);
    let asked = ImagePyramid::new(image.1.clone(), aspect, plain);
    let shown = |mut views: Vec<View>| {
        views.retain(|view| !view.is_core());
        views
    };
    let (wanted, among) = (shown(query_views(&asked)), shown(index_views(&asked)));
    // The image asked for is called by the number after the last.
    let own = prepared.images.len() as u32;
    let looks = &prepared.looks;
    progress.begin("comparing images", Some(all.len() as u64));
    let best = |&index: &u32| -> Option<(i32, Candidate)> {
        progress.advance(1);
        if progress.stopped() {
            return None;
        }
        let image_at = looks.image_at(index as usize)?;
        let theirs = (shown(query_views(image_at)), shown(index_views(image_at)));
        let here = most_alike(&wanted, &theirs.1)
            .map(|(product, start)| (product, Candidate { wanted: own, found: index, start }));
        let there = most_alike(&theirs.0, &among)
            .map(|(product, start)| (product, Candidate { wanted: index, found: own, start }));
        [here, there].into_iter().flatten().max_by_key(|(product, _)| *product)
    };
    let mut found: Vec<(u32, Option<(i32, Candidate)>)> =
        all.par_iter().map(|index| (*index, best(index))).collect();
    if progress.stopped() {
        return Err(Error::Interrupted);
    }
    let is_copy = |index: u32| prepared.images[index as usize].measured.digest == image.0.digest;
    let has_same_pixels = |index: u32| {
        let pixels = prepared.images[index as usize].measured.small_pixels;
        pixels.is_some() && pixels == image.0.small_pixels
    };
    found.sort_by_key(|(index, best)| {
        let is_same = is_copy(*index) || has_same_pixels(*index);
        (Reverse(is_same), Reverse(best.map(|(product, _)| product)), *index)
    });
    found.truncate(count.saturating_mul(TRIED).max(100));
    let measured = |index: u32| prepared.images[index as usize].measured;
    // Of small images only bytes and pixels tell what is the same.
    let told_by_looks = |index: u32| !image.0.is_small() && !measured(index).is_small();
    let candidates: Vec<Candidate> = found
        .iter()
        .filter(|(index, _)| told_by_looks(*index))
        .filter_map(|(_, best)| Some(best.as_ref()?.1))
        .collect();
    let image_at = |index: usize| {
        if index == own as usize { Some(&asked) } else { looks.image_at(index) }
    };
    let tentative = verify(&candidates, image_at, progress)?;
    let theirs: Vec<u32> = tentative.iter().map(|pair| pair.a).collect();
    let leaders: Vec<u32> =
        all.iter().copied().filter(|&index| !measured(index).is_small()).collect();
    let sample = Sample::new(&leaders, |index| measured(index).digest);
    let alike = tentative.iter().map(|pair| (pair.a, pair.b));
    let asked_about: Vec<u32> = theirs.iter().copied().chain([own]).collect();
    let levels =
        NullModel::new(&sample, |index| image_at(index as usize), alike, &asked_about, progress)?;
    if !theirs.is_empty() {
        progress.begin("looking closely", Some(theirs.len() as u64));
    }
    let read = prepared.visit(&theirs, progress, |index, bytes, limits| {
        Closeup::decode(bytes, limits, looks.image_at(index as usize)?.content()).ok()
    })?;
    let closeup = Closeup::decode(bytes, collection.limits, asked.content()).ok();
    let compared = tentative.iter().zip(&read).filter_map(|(pair, read)| {
        let shown = [looks.image_at(pair.a as usize)?, &asked];
        let compared = compare_pair(pair, shown, [read.as_ref()?, closeup.as_ref()?], &levels)?;
        Some((pair, compared, shown))
    });
    let mut compared: Vec<_> = compared.collect();
    let odds = PriorShift::of_one(
        &compared.iter().map(|(pair, one, _)| raw(pair, one)).collect::<Vec<_>>(),
    );
    // What is in doubt is made again.
    let is_open = |(pair, one, _): &&mut (&TentativeMatch, CloseComparison, _)| {
        one.is_worth_replaying() && log_odds(pair, one, &odds) < CERTAIN
    };
    let mut open: Vec<_> = compared.iter_mut().filter(is_open).collect();
    if let Some(wanted) =
        (!open.is_empty()).then(|| Replayable::decode(bytes, collection.limits)).flatten()
    {
        let theirs: Vec<u32> = open.iter().map(|(pair, ..)| pair.a).collect();
        let maps: HashMap<u32, Affine> = open.iter().map(|(pair, ..)| (pair.a, pair.map)).collect();
        let proven = prepared.visit(&theirs, progress, |index, bytes, limits| {
            let theirs = Replayable::decode(bytes, limits)?;
            Some(is_replayed(&theirs, &wanted, &maps[&index]))
        })?;
        open.iter_mut()
            .zip(proven)
            .for_each(|(one, proven)| one.1.is_replayed = proven == Some(true));
    }
    let pair_verdicts = compared
        .iter()
        .filter_map(|(pair, compared, shown)| PairVerdict::new(pair, compared, &odds, *shown));
    let pair_verdicts: Vec<PairVerdict> = pair_verdicts.collect();
    let alike = found.into_iter().map(|(index, best)| {
        let likeness = best.map_or(0.0, |(product, _)| cosine(product).min(1.0));
        let known = pair_verdicts.iter().find(|pair| pair.a == index);
        let (kind, score) = match known {
            _ if is_copy(index) => (Some(Kind::SameBytes), 1.0),
            _ if has_same_pixels(index) => (Some(Kind::SamePixels), 1.0),
            Some(pair) => (Some(pair.kind), pair.score()),
            None => (None, 0.0),
        };
        Neighbour { image: prepared.images[index as usize], kind, score, likeness }
    });
    let mut alike: Vec<Neighbour<'a>> = alike.collect();
    alike.sort_by(|a, b| {
        let rank = |alike: &Neighbour<'_>| alike.kind.unwrap_or(Kind::LookAlike) == Kind::SameBytes;
        rank(b)
            .cmp(&rank(a))
            .then(b.score.total_cmp(&a.score))
            .then(b.likeness.total_cmp(&a.likeness))
    });
    alike.truncate(count);
    Ok(alike)
}

/// The two views that are most alike.
fn most_alike(wanted: &[View], among: &[View]) -> Option<(i32, Start)> {
    let pairs = wanted.iter().flat_map(|view| among.iter().map(move |other| (view, other)));
    let products = pairs.map(|(view, other)| (view.vector.product(&other.vector), view, other));
    let best = products.max_by_key(|(product, ..)| *product);
    best.map(|(product, view, other)| (product, Start::from_view(view, other.map)))
}
