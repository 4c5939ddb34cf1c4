//! A prediction for every image, by a learner that has seen neither it nor anything that depends on it.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;

use super::runs::{Course, RunCache, Trial, images_shown};
use super::sample::{Pick, Sample, shares, shuffled};
use super::view::View;
use crate::Error;
use crate::catalog::Catalog;
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::learner::Outcome;
use crate::measuring::Thumbnail;
use crate::progress::Progress;
use crate::splitting::{Assignment, Conflicts, Parts, Request, SplitError, assign};

/// Parts that the images are divided into; each is predicted by what the others teach.
pub const FOLDS: u64 = 5;

/// How images are predicted out of fold.
#[derive(Clone, Copy, Debug)]
pub struct FoldSettings {
    /// Training images of a learner, at most.
    pub most: usize,
    /// Times that each is shown.
    pub epochs: u64,
    /// Learners for each part, whose mean is taken.
    pub seeds: u64,
    /// Decides the parts, the images that are left out beyond the most, and the first learner.
    pub seed: u64,
}

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

/// Why images cannot be predicted.
#[derive(Debug)]
pub enum FoldError {
    /// They cannot be divided.
    Split(SplitError),
    /// The runs were stopped.
    Run(Error),
}

impl From<Error> for FoldError {
    fn from(error: Error) -> Self {
        FoldError::Run(error)
    }
}

/// Divides the images by the code of `split`, trains learners for each part on independent images of the others, and takes
/// the mean of their probabilities.
///
/// # Errors
///
/// When the images cannot be divided, or `progress` asks to stop.
pub fn out_of_fold(
    catalog: &Catalog,
    found: &DuplicateReport<'_>,
    thumbnails: &[Option<Thumbnail>],
    settings: FoldSettings,
    cache: &dyn RunCache,
    progress: &dyn Progress,
) -> Result<OutOfFold, FoldError> {
    let request = Request {
        parts: Parts::folds(FOLDS),
        seed: settings.seed,
        // One image under several classes is predicted under each.
        conflicts: Conflicts::Keep,
        ..Request::default()
    };
    let assignment = assign(catalog, found, &request).map_err(FoldError::Split)?;
    let folds = Folds::new(&assignment, found, thumbnails);
    let samples = folds.samples(found, settings);
    let trials: Vec<Trial<'_>> =
        samples.iter().map(|sample| Trial::new(sample, found, thumbnails)).collect();
    let course = |number| Course {
        policy: None,
        view: View::Whole,
        share: 1.0,
        epochs: settings.epochs,
        seed: settings.seed.wrapping_add(number),
    };
    // All runs of all parts at once, so that no thread waits for the last one of a part.
    let runs: Vec<(usize, Course<'_>)> = (0..trials.len())
        .flat_map(|fold| (0..settings.seeds).map(move |number| (fold, course(number))))
        .collect();
    let shown = runs.iter().map(|(fold, course)| images_shown(&samples[*fold], course)).sum();
    progress.begin("training", Some(shown));
    let outcomes: Vec<Outcome> = runs
        .par_iter()
        .with_max_len(1)
        .map(|(fold, course)| {
            let run = trials[*fold].run_all(std::slice::from_ref(course), cache, progress)?;
            Ok(run.into_iter().next().expect("one course has one outcome"))
        })
        .collect::<Result<_, Error>>()?;
    let mut probabilities = vec![0.0; folds.images.len() * folds.classes.len()];
    let count = folds.classes.len();
    for ((fold, _), outcome) in runs.iter().zip(&outcomes) {
        let rows = (0..folds.images.len()).filter(|&row| folds.part_of[row] == *fold);
        for (row, given) in rows.zip(outcome.probabilities.chunks_exact(count)) {
            let row = &mut probabilities[row * count..][..count];
            row.iter_mut()
                .zip(given)
                .for_each(|(sum, value)| *sum += value / settings.seeds as f32);
        }
    }
    let left_out = found.images.len() as u64 - folds.images.len() as u64;
    Ok(OutOfFold { classes: folds.classes, images: folds.images, probabilities, left_out })
}

/// The images and the part of each.
struct Folds {
    classes: Vec<String>,
    images: Vec<Pick>,
    part_of: Vec<usize>,
}

impl Folds {
    fn new(
        assignment: &Assignment<'_>,
        found: &DuplicateReport<'_>,
        thumbnails: &[Option<Thumbnail>],
    ) -> Self {
        let number_of: BTreeMap<usize, u32> =
            (0u32..).zip(&found.images).map(|(number, image)| (image.index, number)).collect();
        let classes: BTreeSet<&str> = assignment.images.iter().map(|image| image.class).collect();
        let class_of: BTreeMap<&str, u32> = classes.iter().copied().zip(0..).collect();
        let mut picks: Vec<(Pick, usize)> = assignment
            .images
            .iter()
            .map(|image| (number_of[&image.index], image))
            .filter(|(number, _)| thumbnails[*number as usize].is_some())
            .map(|(image, assigned)| {
                (Pick { image, class: class_of[assigned.class] }, assigned.part)
            })
            .collect();
        picks.sort_by_key(|(pick, _)| pick.image);
        let (images, part_of) = picks.into_iter().unzip();
        Folds { classes: classes.into_iter().map(str::to_owned).collect(), images, part_of }
    }

    /// For each part a sample that trains on the others and holds it out.
    fn samples(&self, found: &DuplicateReport<'_>, settings: FoldSettings) -> Vec<Sample> {
        let groups = IndependentGroups::with_groups(found);
        let mut place_of = vec![0u32; found.images.len()];
        for (place, image) in (0..).zip(shuffled(found, settings.seed)) {
            place_of[image as usize] = place;
        }
        let of_fold = |fold: usize| {
            let (held_out, mut others): (Vec<usize>, Vec<usize>) =
                (0..self.images.len()).partition(|&row| self.part_of[row] == fold);
            others.sort_by_key(|&row| place_of[self.images[row].image as usize]);
            let mut known = BTreeSet::new();
            let mut others: Vec<Pick> = others
                .into_iter()
                .map(|row| self.images[row])
                // An image under two classes teaches both.
                .filter(|pick| known.insert((groups.unit(pick.image as usize), pick.class)))
                .collect();
            others.sort_by_key(|pick| pick.class);
            let by_class: Vec<&[Pick]> = others.chunk_by(|a, b| a.class == b.class).collect();
            let sizes: Vec<usize> = by_class.iter().map(|class| class.len()).collect();
            let chosen = by_class.iter().zip(shares(&sizes, settings.most));
            Sample {
                classes: self.classes.clone(),
                training: chosen.flat_map(|(class, count)| class[..count].to_vec()).collect(),
                held_out: held_out.into_iter().map(|row| self.images[row]).collect(),
                ..Sample::default()
            }
        };
        (0..FOLDS as usize).map(of_fold).collect()
    }
}
