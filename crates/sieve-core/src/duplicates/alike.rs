//! The pictures that are most like one.

use std::cmp::Reverse;

use rayon::prelude::*;

use super::candidates::Candidate;
use super::close_looks::of_pair;
use super::judged::{Judged, raw};
use super::kind::Kind;
use super::levels::{Crowd, Levels};
use super::odds::Odds;
use super::subjects::{Picture, Side, Subjects};
use super::verify::verify;
use crate::Error;
use crate::likeness::{Region, Start, Subject, View, cosine, looked_among, looked_for};
use crate::measuring::{Closeup, Measured, Thumbnail};
use crate::progress::Watch;

/// A picture and how much it is like the one that was asked for.
#[derive(Clone, Copy, Debug)]
pub struct Alike<'a> {
    /// The picture.
    pub picture: Picture<'a>,
    /// In which way it is the same; none when it is another picture.
    pub kind: Option<Kind>,
    /// The chance that both show the same picture, 0 to 1.
    pub score: f32,
    /// The cosine of the two views that are most alike, -1 to 1.
    pub likeness: f32,
}

/// Pictures that are laid over the one that was asked for, for each that is wanted.
const TRIED: usize = 4;

/// The `count` pictures of `side` that are most like the one that was measured: those that show the
/// same first, by their score, then the others by their likeness. `closeup` gives a part of that picture, larger;
/// the files that seem to show the same are read again.
///
/// # Errors
///
/// When `watch` asks to stop.
pub fn nearest<'a>(
    side: &'a Side<'a>,
    image: &(Measured, Thumbnail),
    closeup: &dyn Fn(Region) -> Option<Closeup>,
    count: usize,
    watch: &dyn Watch,
) -> Result<Vec<Alike<'a>>, Error> {
    let mut subjects = Subjects::of(std::slice::from_ref(side));
    let all: Vec<u32> = (0..subjects.pictures.len() as u32).collect();
    subjects.load(&all, watch)?;
    let (aspect, plain) = (image.0.aspect() as f32, image.0.look.flat_share);
    let asked = Subject::of(image.1.clone(), aspect, plain);
    let shown = |mut views: Vec<View>| {
        views.retain(|view| !view.is_core());
        views
    };
    let (wanted, among) = (shown(looked_for(&asked)), shown(looked_among(&asked)));
    // The picture asked for is called by the number after the last.
    let own = subjects.pictures.len() as u32;
    let looks = &subjects.looks;
    watch.begin("comparing pictures", Some(all.len() as u64));
    let best = |&index: &u32| -> Option<(i32, Candidate)> {
        watch.advance(1);
        if watch.stopped() {
            return None;
        }
        let subject = looks.subject(index as usize)?;
        let theirs = (shown(looked_for(subject)), shown(looked_among(subject)));
        let here = most_alike(&wanted, &theirs.1)
            .map(|(product, start)| (product, Candidate { wanted: own, found: index, start }));
        let there = most_alike(&theirs.0, &among)
            .map(|(product, start)| (product, Candidate { wanted: index, found: own, start }));
        [here, there].into_iter().flatten().max_by_key(|(product, _)| *product)
    };
    let mut found: Vec<(u32, Option<(i32, Candidate)>)> =
        all.par_iter().map(|index| (*index, best(index))).collect();
    if watch.stopped() {
        return Err(Error::Interrupted);
    }
    let is_copy = |index: u32| subjects.pictures[index as usize].measured.digest == image.0.digest;
    let has_same_pixels = |index: u32| {
        let pixels = subjects.pictures[index as usize].measured.small_pixels;
        pixels.is_some() && pixels == image.0.small_pixels
    };
    found.sort_by_key(|(index, best)| {
        let is_same = is_copy(*index) || has_same_pixels(*index);
        (Reverse(is_same), Reverse(best.map(|(product, _)| product)), *index)
    });
    found.truncate(count.saturating_mul(TRIED).max(100));
    let measured = |index: u32| subjects.pictures[index as usize].measured;
    // Of small pictures only bytes and pixels tell what is the same.
    let told_by_looks = |index: u32| !image.0.is_small() && !measured(index).is_small();
    let candidates: Vec<Candidate> = found
        .iter()
        .filter(|(index, _)| told_by_looks(*index))
        .filter_map(|(_, best)| Some(best.as_ref()?.1))
        .collect();
    let subject = |index: usize| {
        if index == own as usize { Some(&asked) } else { looks.subject(index) }
    };
    let seeming = verify(&candidates, subject, watch)?;
    let theirs: Vec<u32> = seeming.iter().map(|pair| pair.a).collect();
    let leaders: Vec<u32> =
        all.iter().copied().filter(|&index| !measured(index).is_small()).collect();
    let crowd = Crowd::of(&leaders, |index| measured(index).digest);
    let alike = seeming.iter().map(|pair| (pair.a, pair.b));
    let asked_about: Vec<u32> = theirs.iter().copied().chain([own]).collect();
    let levels = Levels::of(&crowd, |index| subject(index as usize), alike, &asked_about, watch)?;
    if !theirs.is_empty() {
        watch.begin("looking closely", Some(theirs.len() as u64));
    }
    let read = subjects.visit(&theirs, watch, |index, bytes, limits| {
        Closeup::of(bytes, limits, looks.subject(index as usize)?.content()).ok()
    })?;
    let closeup = closeup(asked.content());
    let examined = seeming.iter().zip(&read).filter_map(|(pair, read)| {
        let shown = [looks.subject(pair.a as usize)?, &asked];
        let examined = of_pair(pair, shown, [read.as_ref()?, closeup.as_ref()?], &levels)?;
        Some((pair, examined, shown))
    });
    let examined: Vec<_> = examined.collect();
    let odds =
        Odds::of_one(&examined.iter().map(|(pair, one, _)| raw(pair, one)).collect::<Vec<_>>());
    let judged = examined
        .iter()
        .filter_map(|(pair, examined, shown)| Judged::of(pair, examined, &odds, *shown));
    let judged: Vec<Judged> = judged.collect();
    let alike = found.into_iter().map(|(index, best)| {
        let likeness = best.map_or(0.0, |(product, _)| cosine(product).min(1.0));
        let known = judged.iter().find(|pair| pair.a == index);
        let (kind, score) = match known {
            _ if is_copy(index) => (Some(Kind::SameBytes), 1.0),
            _ if has_same_pixels(index) => (Some(Kind::SamePixels), 1.0),
            Some(pair) => (Some(pair.kind), pair.score()),
            None => (None, 0.0),
        };
        Alike { picture: subjects.pictures[index as usize], kind, score, likeness }
    });
    let mut alike: Vec<Alike<'a>> = alike.collect();
    alike.sort_by(|a, b| {
        let rank = |alike: &Alike<'_>| alike.kind.unwrap_or(Kind::LookAlike) == Kind::SameBytes;
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
    best.map(|(product, view, other)| (product, Start::of(view, other.map)))
}
