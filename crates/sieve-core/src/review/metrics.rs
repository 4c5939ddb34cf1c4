//! What predictions score, and what that is worth.

use std::collections::BTreeSet;

use serde::Serialize;

use super::matching::{Matched, Prediction};
use crate::confusion::{Confusion, Share};
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::statistics::Interval;

/// Equal ranges of scores that calibration is measured in: ten, as is usual.
pub const BINS: usize = 10;
/// Classes among which the true one may be for an image to count as right in the top five.
const TOP: usize = 5;

/// What predictions score.
#[derive(Clone, Debug, PartialEq)]
pub struct Metrics {
    /// Which classes were taken for which.
    pub confusion: Confusion,
    /// The share of images whose class is among the five with the highest scores; none without scores of all classes, or with
    /// no more than five classes.
    pub top_five: Option<Share>,
    /// Whether scores are as high as predictions are right; none where an image has no score.
    pub calibration: Option<Calibration>,
}

/// How far scores are from the shares that are right.
#[derive(Clone, Debug, PartialEq)]
pub struct Calibration {
    /// From the lowest scores to the highest.
    pub bins: [Bin; BINS],
    /// The expected calibration error: the mean distance between score and share, weighted by the images of each bin (Naeini et
    /// al., Obtaining well calibrated probabilities using Bayesian binning, 2015).
    pub error: f64,
}

/// Predictions whose scores lie in one range.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Bin {
    /// How many.
    pub images: u64,
    /// Their mean score.
    pub mean_score: f64,
    /// The share of them that is right.
    pub right: f64,
}

impl Metrics {
    fn of<'p>(classes: usize, predictions: impl Iterator<Item = &'p Prediction> + Clone) -> Self {
        let pairs = predictions.clone().map(|one| (one.class, one.predicted));
        let mut all = 0;
        let mut within = 0;
        for one in predictions.clone().filter(|one| !one.scores.is_empty()) {
            all += 1;
            let own = one.scores[one.class as usize];
            let above = one.scores.iter().filter(|score| **score > own).count();
            within += u64::from(above < TOP);
        }
        let has_scores = predictions.clone().all(|one| one.score.is_some());
        Metrics {
            confusion: Confusion::new(classes, pairs),
            top_five: if classes > TOP { Share::new(within, all) } else { None },
            calibration: has_scores.then(|| calibration(predictions)).flatten(),
        }
    }
}

fn calibration<'p>(predictions: impl Iterator<Item = &'p Prediction>) -> Option<Calibration> {
    let mut bins = [Bin::default(); BINS];
    let mut images = 0;
    for one in predictions {
        let score = one.score?;
        let bin = &mut bins[((score * BINS as f64) as usize).min(BINS - 1)];
        bin.images += 1;
        bin.mean_score += score;
        bin.right += f64::from(u8::from(one.class == one.predicted));
        images += 1;
    }
    if images == 0 {
        return None;
    }
    let mut error = 0.0;
    for bin in bins.iter_mut().filter(|bin| bin.images > 0) {
        let count = bin.images as f64;
        bin.mean_score /= count;
        bin.right /= count;
        error += count / images as f64 * (bin.mean_score - bin.right).abs();
    }
    Some(Calibration { bins, error })
}

/// What predictions score on images that the training images do not give away.
#[derive(Clone, Debug, PartialEq)]
pub struct Independence {
    /// Of held-out images without a copy or burst frame in training.
    pub independent: Metrics,
    /// The share right of held-out images that have one; none where there is none.
    pub dependent: Option<Share>,
    /// How much more often those are right, with the interval of the difference of two shares (Newcombe, Interval estimation
    /// for the difference between independent proportions, 1998, method 10).
    pub difference: Option<(f64, Interval)>,
    /// Predicted training images, which are in neither.
    pub training: u64,
}

/// What all predictions score, and the independent ones among them; none of these where the collection has no split
/// `training`.
pub fn metrics(
    matched: &Matched,
    found: &DuplicateReport<'_>,
    training: &str,
) -> (Metrics, Option<Independence>) {
    let classes = matched.classes.len();
    let all = Metrics::of(classes, matched.predictions.iter());
    let is_training = |image: u32| found.images[image as usize].record.split() == Some(training);
    let trained = (0..found.images.len() as u32).filter(|&image| is_training(image));
    let groups = IndependentGroups::independent(found);
    let trained: BTreeSet<u32> = trained.map(|image| groups.unit(image as usize)).collect();
    if trained.is_empty() {
        return (all, None);
    }
    let is_known = |one: &&Prediction| trained.contains(&groups.unit(one.image as usize));
    let held_out = || matched.predictions.iter().filter(|one| !is_training(one.image));
    let independent = Metrics::of(classes, held_out().filter(|one| !is_known(one)));
    let dependent = || held_out().filter(is_known);
    let right = dependent().filter(|one| one.class == one.predicted).count() as u64;
    let dependent = Share::new(right, dependent().count() as u64);
    let difference = dependent.zip(independent.confusion.accuracy()).map(|(a, b)| {
        let difference = a.share - b.share;
        let square = |one: f64, other: f64| (one - other) * (one - other);
        let down = square(a.share, a.interval.low) + square(b.share, b.interval.high);
        let up = square(a.share, a.interval.high) + square(b.share, b.interval.low);
        (difference, Interval { low: difference - down.sqrt(), high: difference + up.sqrt() })
    });
    let training = matched.predictions.len() - held_out().count();
    (all, Some(Independence { independent, dependent, difference, training: training as u64 }))
}
