//! Whether a policy is better than another: differences of runs that share their seeds and images.

use statrs::distribution::{ContinuousCDF, Normal, StudentsT};

use crate::learner::Outcome;
use crate::statistics::Interval;

/// A difference of two shares, from -1 to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Difference {
    /// The mean over the seeds.
    pub mean: f64,
    /// Where the true one lies.
    pub interval: Interval,
}

/// What can be said of a policy beside the first one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Judgement {
    /// It is better beyond chance.
    Better,
    /// It is worse beyond chance, has learned its images, and does not catch up.
    Worse,
    /// It was worse at both budgets, but is catching up or has not learned its images yet.
    CatchingUp,
    /// No difference can be claimed.
    NoDifference,
}

/// A policy beside the first one.
#[derive(Clone, Debug, PartialEq)]
pub struct Comparison {
    /// Its accuracy less that of the first one, after all epochs.
    pub full: Difference,
    /// The same after the short budget.
    pub short: Difference,
    /// The mean loss of its last epoch, as a share of what knowing the sizes of the classes alone leaves.
    pub loss_left: f64,
    /// What can be said.
    pub judgement: Judgement,
}

/// A policy has not learned its images yet while its loss is above this share of what knowing the sizes of the classes alone
/// leaves: with a quarter of the way ahead more epochs change what it answers.
const LEARNED: f64 = 0.25;

impl Comparison {
    /// Whether the policy has not learned its training images yet.
    pub fn is_unfinished(&self) -> bool {
        self.loss_left > LEARNED
    }
}

/// The accuracy of each of several runs.
pub(super) fn accuracies(predictions: &[Vec<u32>], truth: &[u32]) -> Vec<f64> {
    let share = |run: &Vec<u32>| {
        let right = run.iter().zip(truth).filter(|(predicted, class)| predicted == class).count();
        right as f64 / truth.len().max(1) as f64
    };
    predictions.iter().map(share).collect()
}

/// How much more often `these` are right than `those`, run by run with the same seed, on the images at `rows`; with an
/// interval that holds with a chance of 1 - `error`.
///
/// Runs share their training images, so that the variance of their mean is larger than that of independent ones: by the factor
/// 1/runs + held-out/training in place of 1/runs (Nadeau and Bengio, Inference for the generalization error, 2003). The held-out
/// images are a sample as well: the interval is never narrower than what they leave open.
pub fn paired(
    (these, those): (&[Vec<u32>], &[Vec<u32>]),
    truth: &[u32],
    rows: &[usize],
    training: usize,
    error: f64,
) -> Difference {
    let (runs, images) = (these.len() as f64, rows.len().max(1) as f64);
    let right = |run: &Vec<u32>, row: usize| f64::from(u8::from(run[row] == truth[row]));
    let of_run = |(one, other): (&Vec<u32>, &Vec<u32>)| {
        rows.iter().map(|&row| right(one, row) - right(other, row)).sum::<f64>() / images
    };
    let differences: Vec<f64> = these.iter().zip(those).map(of_run).collect();
    let mean = differences.iter().sum::<f64>() / runs.max(1.0);
    let of_image = |&row: &usize| {
        let pairs = these.iter().zip(those);
        pairs.map(|(one, other)| right(one, row) - right(other, row)).sum::<f64>() / runs.max(1.0)
    };
    let squares: f64 = rows.iter().map(|row| (of_image(row) - mean).powi(2)).sum();
    // Where all images agree, one that does not is still possible.
    let by_images = squares.max(1.0) / (images - 1.0).max(1.0) / images;
    let upper = 1.0 - error / 2.0;
    let normal = Normal::standard().inverse_cdf(upper);
    let mut reach = normal * by_images.sqrt();
    if differences.len() > 1 {
        let spread: f64 = differences.iter().map(|one| (one - mean).powi(2)).sum();
        let variance = spread / (runs - 1.0) * (1.0 / runs + images / training.max(1) as f64);
        let student = StudentsT::new(0.0, 1.0, runs - 1.0).expect("two runs leave one degree");
        reach = reach.max(student.inverse_cdf(upper) * variance.sqrt());
    }
    let interval = Interval { low: (mean - reach).max(-1.0), high: (mean + reach).min(1.0) };
    Difference { mean, interval }
}

/// Compares a policy with the first one, by the outcomes of each at the full and at the short budget, one for each seed, with
/// intervals of 95%. `loss_of_guessing` is what knowing the sizes of the classes alone leaves.
pub fn compare(
    (these, those): ([&[Outcome]; 2], [&[Outcome]; 2]),
    truth: &[u32],
    classes: usize,
    training: usize,
    loss_of_guessing: f64,
) -> Comparison {
    let rows: Vec<usize> = (0..truth.len()).collect();
    let predictions = |runs: &[Outcome]| -> Vec<Vec<u32>> {
        runs.iter().map(|run| run.predictions(classes)).collect()
    };
    let [full, short] = [0, 1].map(|budget| {
        let both = (&predictions(these[budget])[..], &predictions(those[budget])[..]);
        paired(both, truth, &rows, training, 0.05)
    });
    let last = these[0].iter().filter_map(|run| run.losses.last().copied()).map(f64::from);
    let loss = last.sum::<f64>() / these[0].len().max(1) as f64;
    let loss_left = loss / loss_of_guessing.max(f64::MIN_POSITIVE);
    let judgement = match full.interval {
        Interval { low, .. } if low > 0.0 => Judgement::Better,
        Interval { high, .. } if high < 0.0 => {
            let is_closing = full.mean > short.mean;
            if is_closing || loss_left > LEARNED { Judgement::CatchingUp } else { Judgement::Worse }
        }
        _ => Judgement::NoDifference,
    };
    Comparison { full, short, loss_left, judgement }
}
