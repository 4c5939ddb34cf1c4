//! Frames of one moment by their names: files that were numbered as a camera took them.
//!
//! Running numbers alone say nothing: images are numbered as they are collected, drawn or exported. So the collection
//! itself must show that neighbours in number are far more alike than images that are far apart in number, and each two
//! frames must lie on each other with their texture.

use std::collections::BTreeMap;

use rayon::prelude::*;

use super::burst_by_time::Linked;
use super::clustering::Link;
use super::image_set::{ImageRef, ImageSet, PyramidCache};
use crate::Error;
use crate::likeness::{Descriptor, Scratch, Start, Turn, compare, is_plain};
use crate::progress::Progress;
use crate::statistics::{kruskal_wallis, median};

/// Files of one series of names that are needed to tell what is far apart in number.
const LEAST: usize = 24;
/// Pairs of each series that are far apart: by these shares of its length.
const APART: [f64; 3] = [1.0 / 3.0, 0.4, 0.5];
/// The chance below which neighbours are more alike than others: no collection holds a million series.
const CHANCE: f64 = 1e-6;
/// The share of all pairs that are far apart in number below which a pair must lie to be a moment's.
const RARE: f64 = 0.01;
/// The correlation of fine details, and of faint ones, of two frames that were laid over each other, at least. On plain
/// ground nothing is reported: there, drawings that follow each other have as much in common as frames have.
const TEXTURE: [f32; 2] = [0.4, 0.2];

/// What the names of a series have in common: collection, folder, what stands before and after the number, and pixels.
type Series<'a> = (usize, &'a str, &'a str, &'a str, (u32, u32));

/// Pairs of neighbours in number among `leaders` that are burst frames, sorted.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn by_running_names(
    prepared: &ImageSet<'_>,
    leaders: &[u32],
    progress: &dyn Progress,
) -> Result<Vec<Linked>, Error> {
    let mut series: BTreeMap<Series<'_>, Vec<(u64, u32)>> = BTreeMap::new();
    for &index in leaders {
        if let Some((key, number)) = numbered(&prepared.images[index as usize]) {
            series.entry(key).or_default().push((number, index));
        }
    }
    series.values_mut().for_each(|files| files.sort_unstable());
    let looks = &prepared.looks;
    let found: Vec<Vec<Linked>> = series
        .par_iter()
        .filter(|(_, files)| files.len() >= LEAST && !progress.stopped())
        .map(|(_, files)| frames(looks, files))
        .collect();
    if progress.stopped() {
        return Err(Error::Interrupted);
    }
    let mut found = found.concat();
    found.sort_unstable_by_key(|&(pair, _)| pair);
    Ok(found)
}

/// The series that a file belongs to and its number there: the last one in its name.
fn numbered<'a>(image: &ImageRef<'a>) -> Option<(Series<'a>, u64)> {
    let path = &image.record.path;
    let name = path.file_name();
    let name = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    let after = name.rfind(|letter: char| letter.is_ascii_digit())? + 1;
    let before = name[..after].rfind(|letter: char| !letter.is_ascii_digit());
    let before = before.map_or(0, |at| at + name[at..].chars().next().map_or(1, char::len_utf8));
    let number = name[before..after].parse().ok()?;
    let facts = &image.measured.facts;
    let size = (facts.width_px, facts.height_px);
    Some(((image.collection, path.folder(), &name[..before], &name[after..], size), number))
}

/// Neighbours in one series, sorted by number, that are burst frames.
fn frames(looks: &PyramidCache, files: &[(u64, u32)]) -> Vec<Linked> {
    let image_at = |index: u32| looks.image_at(index as usize);
    let outlines: Vec<Option<Descriptor>> =
        files.iter().map(|&(_, index)| image_at(index).map(Descriptor::new)).collect();
    let likeness = |one: usize, other: usize| -> Option<f64> {
        Some(outlines[one].as_ref()?.likeness(outlines[other].as_ref()?).into())
    };
    // Equal numbers are no run.
    let follow = |&at: &usize| files[at + 1].0 == files[at].0 + 1;
    let near: Vec<(usize, f64)> = (0..files.len() - 1)
        .filter(follow)
        .filter_map(|at| Some((at, likeness(at, at + 1)?)))
        .collect();
    let mut far: Vec<f64> = APART
        .iter()
        .flat_map(|share| {
            let apart = (files.len() as f64 * share) as usize;
            (0..files.len() - apart).map(move |at| (at, at + apart))
        })
        .filter_map(|(one, other)| likeness(one, other))
        .collect();
    let groups = [near.iter().map(|&(_, likeness)| likeness).collect(), far.clone()];
    let is_nearer = median(groups[0].clone()) > median(groups[1].clone());
    if !is_nearer || kruskal_wallis(&groups).is_none_or(|test| test.p > CHANCE) {
        return Vec::new();
    }
    far.sort_unstable_by(f64::total_cmp);
    let Some(&usual) = far.get(((1.0 - RARE) * far.len() as f64) as usize) else {
        return Vec::new();
    };
    let mut scratch = Scratch::default();
    let still = |&(at, likeness): &(usize, f64)| -> Option<Linked> {
        if likeness <= usual {
            return None;
        }
        let (a, b) = (files[at].1.min(files[at + 1].1), files[at].1.max(files[at + 1].1));
        let (first, second) = (image_at(a)?, image_at(b)?);
        if is_plain(first.plain.max(second.plain)) {
            return None;
        }
        let start = Start::whole(Turn::default(), Turn::default());
        let evidence = compare(first, second, &start, &mut scratch)?;
        let is_one = evidence.texture().iter().zip(TEXTURE).all(|(found, least)| *found >= least);
        let score = 1.0 - (-likeness).exp() as f32;
        is_one.then_some(((a, b), Link::burst(score)))
    };
    near.iter().filter_map(still).collect()
}
