//! Whether more images would help: what the learner reaches with a quarter, half and all of them.

use super::compare::{Difference, accuracies, paired};
use crate::learner::Outcome;

/// The shares of the training images, the smallest first.
pub const SHARES: [f64; 3] = [0.25, 0.5, 1.0];
/// A class has levelled off where twice the images bring at most this much: three points, which nobody pays for with as many
/// images again.
const LEVEL: f64 = 0.03;

/// Whether more images would help.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum More {
    /// The second half of the images brought more than chance.
    Helps,
    /// It brought at most three points.
    LevelledOff,
    /// There are too few held-out images to say.
    Unclear,
}

/// What the learner reaches in one class, or in all.
#[derive(Clone, Debug, PartialEq)]
pub struct ClassCurve {
    /// Held-out images.
    pub images: usize,
    /// The share that is recognised at each of [`SHARES`].
    pub reached: [f64; 3],
    /// What the second half of the images brought.
    pub gain: Difference,
    /// What follows.
    pub more: More,
}

/// What the learner reaches with more and more images.
#[derive(Clone, Debug, PartialEq)]
pub struct Curve {
    /// In all classes.
    pub all: ClassCurve,
    /// In each; none where there are no held-out images.
    pub classes: Vec<Option<ClassCurve>>,
}

/// What follows from the outcomes at each of [`SHARES`], one for each seed. The intervals of all classes hold together with 95%.
pub fn curve(runs: [&[Outcome]; 3], truth: &[u32], classes: usize, training: usize) -> Curve {
    let predictions = runs
        .map(|runs| -> Vec<Vec<u32>> { runs.iter().map(|run| run.predictions(classes)).collect() });
    let of_rows = |rows: &[usize], error: f64| {
        let reached = predictions.each_ref().map(|runs| {
            let picked = |run: &Vec<u32>| rows.iter().map(|&row| run[row]).collect();
            let runs: Vec<Vec<u32>> = runs.iter().map(picked).collect();
            let truth: Vec<u32> = rows.iter().map(|&row| truth[row]).collect();
            let shares = accuracies(&runs, &truth);
            shares.iter().sum::<f64>() / shares.len().max(1) as f64
        });
        let gain = paired((&predictions[2], &predictions[1]), truth, rows, training, error);
        let more = match () {
            () if gain.interval.low > 0.0 => More::Helps,
            () if gain.interval.high <= LEVEL => More::LevelledOff,
            () => More::Unclear,
        };
        ClassCurve { images: rows.len(), reached, gain, more }
    };
    let rows: Vec<usize> = (0..truth.len()).collect();
    let of_class = |class: u32| {
        let rows: Vec<usize> = rows.iter().copied().filter(|&row| truth[row] == class).collect();
        (!rows.is_empty()).then(|| of_rows(&rows, 0.05 / classes.max(1) as f64))
    };
    Curve { all: of_rows(&rows, 0.05), classes: (0..classes as u32).map(of_class).collect() }
}
