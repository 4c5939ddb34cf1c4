//! What `trial` says.

mod json;
mod sheet;
mod text;

pub use sheet::{rows, title};

use std::path::Path;

use sieve_core::catalog::Catalog;
use sieve_core::confusion::{Confusion, Share};
use sieve_core::csv_escape::of_path;
use sieve_core::duplicates::{DuplicateReport, ImageRef};
use sieve_core::trial::{Comparison, Curve, OutOfFold, Reliance, Sample};

use super::Reply;
use super::table::written;
use crate::config::CollectionConfig;

/// What came of a trial.
pub struct TrialReport<'a> {
    /// Runs of each kind.
    pub seeds: u64,
    /// Times that each training image was shown.
    pub epochs: u64,
    /// The first seed.
    pub seed: u64,
    /// Whether everything is listed.
    pub all: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// The images that were trained on; none where only predictions were asked for.
    pub sample: Option<&'a Sample>,
    /// What came of the runs on them.
    pub trained: Option<&'a Trained>,
    /// The prediction of every image, and the file that was written.
    pub out_of_fold: Option<(&'a OutOfFold, &'a Path)>,
    /// The sheet that was written.
    pub sheet: Option<&'a Path>,
}

/// What came of the runs on a sample.
pub struct Trained {
    /// The policies, the one that others are compared with first.
    pub policies: Vec<PolicyOutcome>,
    /// How far views get.
    pub reliance: Option<Reliance>,
    /// What more images bring.
    pub curve: Option<Curve>,
    /// What the first policy's learners take for what.
    pub confusion: Confusion,
    /// Their mean prediction for each held-out image.
    pub predicted: Vec<Predicted>,
}

/// What came of one policy.
pub struct PolicyOutcome {
    /// Its name.
    pub name: String,
    /// Its mean accuracy after all epochs, and after the short budget.
    pub accuracy: [Share; 2],
    /// Beside the first policy; none for that one.
    pub comparison: Option<Comparison>,
}

/// What an image was taken for.
#[derive(Clone, Copy, Debug)]
pub struct Predicted {
    /// The number of the class.
    pub class: u32,
    /// Its probability.
    pub score: f64,
}

impl<'a> TrialReport<'a> {
    fn image(&self, number: u32) -> &ImageRef<'a> {
        &self.found.images[number as usize]
    }

    /// The misclassified held-out images: their places in the sample, the most confident first.
    fn misclassified(&self) -> Vec<usize> {
        let (Some(sample), Some(trained)) = (self.sample, self.trained) else { return Vec::new() };
        let is_wrong = |at: &usize| trained.predicted[*at].class != sample.held_out[*at].class;
        let mut wrong: Vec<usize> = (0..sample.held_out.len()).filter(is_wrong).collect();
        let score = |at: usize| trained.predicted[at].score;
        wrong.sort_by(|&a, &b| score(b).total_cmp(&score(a)).then(a.cmp(&b)));
        wrong
    }
}

impl Reply for TrialReport<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}

/// The table of predictions: one row for each image, one column for each class.
pub fn predictions(found: &DuplicateReport<'_>, folds: &OutOfFold) -> String {
    let mut head = vec!["path", "class", "predicted", "score"];
    head.extend(folds.classes.iter().map(String::as_str));
    let count = folds.classes.len().max(1);
    let rows = folds.images.iter().zip(folds.probabilities.chunks_exact(count));
    let rows = rows.map(|(pick, scores)| {
        let first = |best: usize, at: usize| if scores[at] > scores[best] { at } else { best };
        let best = (1..count).fold(0, first);
        let mut row = vec![
            of_path(&found.images[pick.image as usize].record.path),
            folds.classes[pick.class as usize].clone(),
            folds.classes[best].clone(),
            format!("{:.6}", scores[best]),
        ];
        row.extend(scores.iter().map(|score| format!("{score:.6}")));
        row
    });
    written(&head, rows)
}
