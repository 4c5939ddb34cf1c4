//! A prediction for every image, by a learner that has seen neither it nor anything that depends on it.

use super::runs::{Course, RunCache, Trial, images_shown};
use super::sample::{Pick, Sample, shares};
use super::view::View;
use crate::Error;
use crate::catalog::Catalog;
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::learner::Outcome;
use crate::measuring::Thumbnail;
use crate::progress::Progress;
use crate::seeded_order::key;
use crate::splitting::{Conflicts, Parts, Request, SplitError, assign};
use std::collections::{BTreeMap, BTreeSet};

/// Parts that the images are divided into; each is predicted by what the others teach.
pub const FOLDS: u64 = 5;

/// A prediction for every image that has a class and a thumbnail.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct OutOfFold {
    /// The classes, in the order of their names.
    pub classes: Vec<String>,
    /// The images, in the order of their numbers in [`DuplicateReport::images`].
    pub images: Vec<Pick>,
    /// For each image the probability of each class.
    pub probabilities: Vec<f32>,
    /// Images without a class, or without a thumbnail.
    pub left_out: u64,
}

/// Divides the images by the code of `split`, trains `seeds` learners for each part, and takes the mean of their
/// probabilities. At most `most` training images each, independent ones only.
///
/// # Errors
///
/// When `progress` asks to stop.
#[allow(clippy::too_many_arguments)] // Each is one thing that the caller has.
pub fn out_of_fold(
    catalog: &Catalog,
    found: &DuplicateReport<'_>,
    thumbnails: &[Option<Thumbnail>],
    (most, epochs, seeds, seed): (usize, u64, u64, u64),
    cache: &dyn RunCache,
    progress: &dyn Progress,
) -> Result<Result<OutOfFold, SplitError>, Error> {
    let request = Request {
        parts: Parts::folds(FOLDS),
        seed,
        conflicts: Conflicts::Keep,
        ..Request::default()
    };
    let assignment = match assign(catalog, found, &request) {
        Ok(assignment) => assignment,
        Err(why) => return Ok(Err(why)),
    };
    let number_of: BTreeMap<usize, u32> =
        (0u32..).zip(&found.images).map(|(number, image)| (image.index, number)).collect();
    let classes: BTreeSet<&str> = assignment.images.iter().map(|image| image.class).collect();
    let classes: Vec<String> = classes.into_iter().map(str::to_owned).collect();
    let mut images: Vec<(Pick, usize)> = Vec::new();
    for image in &assignment.images {
        let number = number_of[&image.index];
        let class = classes.binary_search_by(|class| class.as_str().cmp(image.class));
        let class = class.expect("every class is known") as u32;
        if thumbnails[number as usize].is_some() {
            images.push((Pick { image: number, class }, image.part));
        }
    }
    images.sort_by_key(|(pick, _)| pick.image);
    let groups = IndependentGroups::with_groups(found);
    let samples: Vec<Sample> = (0..FOLDS as usize)
        .map(|fold| {
            let order = |pick: &Pick| {
                let record = found.images[pick.image as usize].record;
                let digest = record.image().map(|measured| measured.digest);
                (key(seed, digest.as_ref().map_or(&[], |digest| &digest.0[..])), pick.image)
            };
            let mut others: Vec<Pick> =
                images.iter().filter(|(_, part)| *part != fold).map(|(pick, _)| *pick).collect();
            others.sort_by_cached_key(order);
            let mut known = BTreeSet::new();
            // An image under two classes teaches both.
            others.retain(|pick| known.insert((groups.unit(pick.image as usize), pick.class)));
            others.sort_by_key(|pick| pick.class);
            let by_class: Vec<&[Pick]> = others.chunk_by(|a, b| a.class == b.class).collect();
            let sizes: Vec<usize> = by_class.iter().map(|class| class.len()).collect();
            let chosen = by_class.iter().zip(shares(&sizes, most));
            Sample {
                classes: classes.clone(),
                training: chosen.flat_map(|(class, count)| class[..count].to_vec()).collect(),
                held_out: images
                    .iter()
                    .filter(|(_, part)| *part == fold)
                    .map(|(pick, _)| *pick)
                    .collect(),
                ..Sample::default()
            }
        })
        .collect();
    let courses: Vec<Course<'_>> = (0..seeds)
        .map(|number| Course {
            policy: None,
            view: View::Whole,
            share: 1.0,
            epochs,
            seed: seed.wrapping_add(number),
        })
        .collect();
    let shown: u64 = samples
        .iter()
        .map(|sample| courses.iter().map(|course| images_shown(sample, course)).sum::<u64>())
        .sum();
    progress.begin("training", Some(shown));
    let mut probabilities = vec![0.0; images.len() * classes.len()];
    let trials: Vec<Trial<'_>> =
        samples.iter().map(|sample| Trial::new(sample, found, thumbnails)).collect();
    // All runs of all parts at once, so that no thread waits for the last of a part.
    let runs: Vec<(usize, &Course<'_>)> = (0..trials.len())
        .flat_map(|fold| courses.iter().map(move |course| (fold, course)))
        .collect();
    use rayon::prelude::*;
    let outcomes: Vec<Outcome> = runs
        .par_iter()
        .with_max_len(1)
        .map(|(fold, course)| {
            let run = trials[*fold].run_all(std::slice::from_ref(*course), cache, progress)?;
            Ok(run.into_iter().next().expect("one course has one outcome"))
        })
        .collect::<Result<_, Error>>()?;
    for ((fold, _), outcome) in runs.iter().zip(&outcomes) {
        let rows = images.iter().enumerate().filter(|(_, (_, part))| part == fold);
        for ((row, _), given) in rows.zip(outcome.probabilities.chunks_exact(classes.len())) {
            let row = &mut probabilities[row * classes.len()..][..classes.len()];
            row.iter_mut().zip(given).for_each(|(sum, value)| *sum += value / seeds as f32);
        }
    }
    let left_out = found.images.len() as u64 - images.len() as u64;
    let images = images.into_iter().map(|(pick, _)| pick).collect();
    Ok(Ok(OutOfFold { classes, images, probabilities, left_out }))
}
