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
use crate::reading::ReadLimits;
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
/// the files that seem to show the same are read again. `similarity`, where it is given, takes the place of the likeness of
/// those that are not copies: one for each image of the collection, at most 1, none where it is not known.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn nearest<'a>(
    collection: &'a CollectionRef<'a>,
    image: &(Measured, Thumbnail),
    bytes: &[u8],
    similarity: Option<&[Option<f32>]>,
    count: usize,
    progress: &dyn Progress,
) -> Result<Vec<Neighbour<'a>>, Error> {
    let mut prepared = ImageSet::new(std::slice::from_ref(collection));
    let all: Vec<u32> = (0..prepared.images.len() as u32).collect();
    prepared.load(&all, progress)?;
    let (aspect, plain) = (image.0.aspect() as f32, image.0.measures.flat_share);
    let asked = Asked {
        pyramid: ImagePyramid::new(image.1.clone(), aspect, plain),
        measured: &image.0,
        bytes,
        // The number after the last.
        number: prepared.images.len() as u32,
    };
    let mut found = ranked(&prepared, &asked, progress)?;
    let close = &found[..count.saturating_mul(TRIED).max(100).min(found.len())];
    let verdicts = compared(&prepared, &asked, close, collection.limits, progress)?;
    match similarity {
        // What is alike by other means may be any image; without such a measure it is not listed.
        Some(similarity) => found.retain(|(index, _)| {
            similarity[*index as usize].is_some() || verdicts.iter().any(|pair| pair.a == *index)
        }),
        None => found.truncate(close.len()),
    }
    let neighbour = |(index, best): (u32, Best)| {
        let image = prepared.images[index as usize];
        let known = verdicts.iter().find(|pair| pair.a == index);
        let (kind, score) = match known {
            _ if asked.has_bytes_of(image.measured) => (Some(Kind::SameBytes), 1.0),
            _ if asked.has_pixels_of(image.measured) => (Some(Kind::SamePixels), 1.0),
            Some(pair) => (Some(pair.kind), pair.score()),
            None => (None, 0.0),
        };
        let likeness = match similarity {
            Some(similarity) => similarity[index as usize].unwrap_or(-1.0),
            None => best.map_or(0.0, |(product, _)| cosine(product).min(1.0)),
        };
        Neighbour { image, kind, score, likeness }
    };
    let mut alike: Vec<Neighbour<'a>> = found.into_iter().map(neighbour).collect();
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

/// The two views that are most alike, and how much; none where there is no thumbnail.
type Best = Option<(i32, Candidate)>;

/// The image whose neighbours are wanted.
struct Asked<'a> {
    pyramid: ImagePyramid,
    measured: &'a Measured,
    bytes: &'a [u8],
    /// The number that it goes by among those of the collection.
    number: u32,
}

impl Asked<'_> {
    fn has_bytes_of(&self, other: &Measured) -> bool {
        self.measured.digest == other.digest
    }

    fn has_pixels_of(&self, other: &Measured) -> bool {
        other.small_pixels.is_some() && other.small_pixels == self.measured.small_pixels
    }
}

/// All images, those of the same bytes or pixels first, then by the product of the two views that are most alike.
fn ranked(
    prepared: &ImageSet<'_>,
    asked: &Asked<'_>,
    progress: &dyn Progress,
) -> Result<Vec<(u32, Best)>, Error> {
    let shown = |mut views: Vec<View>| {
        views.retain(|view| !view.is_core());
        views
    };
    let own = asked.number;
    let (wanted, among) = (shown(query_views(&asked.pyramid)), shown(index_views(&asked.pyramid)));
    // The store of a set is not shared between threads; what is compared is.
    let looks = &prepared.looks;
    progress.begin("comparing images", Some(prepared.images.len() as u64));
    let best = |index: u32| -> Best {
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
    let mut found: Vec<(u32, Best)> =
        (0..own).into_par_iter().map(|index| (index, best(index))).collect();
    if progress.stopped() {
        return Err(Error::Interrupted);
    }
    found.sort_by_key(|(index, best)| {
        let measured = prepared.images[*index as usize].measured;
        let is_same = asked.has_bytes_of(measured) || asked.has_pixels_of(measured);
        (Reverse(is_same), Reverse(best.map(|(product, _)| product)), *index)
    });
    Ok(found)
}

/// What a close look says of those that may show the same image.
fn compared(
    prepared: &ImageSet<'_>,
    asked: &Asked<'_>,
    found: &[(u32, Best)],
    limits: &ReadLimits,
    progress: &dyn Progress,
) -> Result<Vec<PairVerdict>, Error> {
    let (looks, own) = (&prepared.looks, asked.number);
    let measured = |index: u32| prepared.images[index as usize].measured;
    // Of small images only bytes and pixels tell what is the same.
    let is_compared = |index: u32| !asked.measured.is_small() && !measured(index).is_small();
    let candidates: Vec<Candidate> = found
        .iter()
        .filter(|(index, _)| is_compared(*index))
        .filter_map(|(_, best)| Some(best.as_ref()?.1))
        .collect();
    let image_at = |index: usize| {
        if index == own as usize { Some(&asked.pyramid) } else { looks.image_at(index) }
    };
    let tentative = verify(&candidates, image_at, progress)?;
    let theirs: Vec<u32> = tentative.iter().map(|pair| pair.a).collect();
    let leaders: Vec<u32> = (0..own).filter(|&index| !measured(index).is_small()).collect();
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
    let closeup = Closeup::decode(asked.bytes, limits, asked.pyramid.content()).ok();
    let compared = tentative.iter().zip(&read).filter_map(|(pair, read)| {
        let shown = [looks.image_at(pair.a as usize)?, &asked.pyramid];
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
        (!open.is_empty()).then(|| Replayable::decode(asked.bytes, limits)).flatten()
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
    let verdicts = compared
        .iter()
        .filter_map(|(pair, compared, shown)| PairVerdict::new(pair, compared, &odds, *shown));
    Ok(verdicts.collect())
}

/// The two views that are most alike.
fn most_alike(wanted: &[View], among: &[View]) -> Option<(i32, Start)> {
    let pairs = wanted.iter().flat_map(|view| among.iter().map(move |other| (view, other)));
    let products = pairs.map(|(view, other)| (view.vector.product(&other.vector), view, other));
    let best = products.max_by_key(|(product, ..)| *product);
    best.map(|(product, view, other)| (product, Start::from_view(view, other.map)))
}
