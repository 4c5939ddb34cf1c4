//! What `review` says.

mod charts;
mod json;
mod page;
mod sheet;
mod text;

pub use charts::{calibration_chart, confusion_chart};
pub use page::{page, page_cases};
pub use sheet::{rows, title};

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use sieve_core::catalog::Catalog;
use sieve_core::csv_escape::of_path;
use sieve_core::duplicates::{DuplicateReport, ImageRef};
use sieve_core::repair::{Action, Row};
use sieve_core::review::{
    Against, Case, Doubtful, DoubtfulLabels, Factor, Independence, Matched, Metrics, Prediction,
    Quadrants,
};

use super::repair::plan::plan_of_rows;
use super::table::written;
use super::{Reply, TableReply};
use crate::config::CollectionConfig;

/// Predictions, and what they say of the data.
pub struct Review<'a> {
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// The file of the predictions.
    pub predictions: &'a Path,
    /// The predictions.
    pub matched: &'a Matched,
    /// What they score.
    pub scores: &'a Metrics,
    /// What the independent ones score; none without a training split.
    pub independence: Option<&'a Independence>,
    /// A case for each prediction.
    pub cases: &'a [Case],
    /// Right and wrong ones, for good and doubtful reasons.
    pub quadrants: &'a Quadrants,
    /// What errors have in common.
    pub factors: &'a [Factor],
    /// Classes that are known by their background.
    pub shortcuts: &'a BTreeSet<String>,
    /// Labels that are doubtful; none without scores of all classes.
    pub doubtful: Option<&'a DoubtfulLabels>,
    /// What changed since earlier predictions.
    pub against: Option<Against>,
    /// The file of these.
    pub against_file: Option<&'a Path>,
    /// The chance of a false report.
    pub chance: f64,
    /// The seed of the groups by appearance.
    pub seed: u64,
    /// Cases that are listed.
    pub top: usize,
    /// Whether everything is listed.
    pub all: bool,
    /// The vectors that images were compared by; none for what the catalog holds.
    pub vectors: Option<&'a Path>,
    /// The files that were written.
    pub written: Vec<PathBuf>,
}

impl<'a> Review<'a> {
    fn image(&self, number: u32) -> &ImageRef<'a> {
        &self.found.images[number as usize]
    }

    fn class(&self, number: u32) -> &'a str {
        &self.matched.classes[number as usize]
    }

    fn prediction(&self, row: usize) -> &'a Prediction {
        &self.matched.predictions[row]
    }

    /// The wrong predictions, the most confident first; without scores in the order of their images.
    fn wrong(&self) -> Vec<&'a Case> {
        let is_wrong = |case: &&Case| {
            let one = self.prediction(case.row);
            one.class != one.predicted
        };
        let mut wrong: Vec<&Case> = self.cases.iter().filter(is_wrong).collect();
        let score = |case: &Case| self.prediction(case.row).score.unwrap_or(0.0);
        wrong.sort_by(|a, b| score(b).total_cmp(&score(a)).then(a.row.cmp(&b.row)));
        wrong
    }

    /// The doubtful labels, the most doubtful first.
    fn doubtful_labels(&self) -> &'a [Doubtful] {
        self.doubtful.map_or(&[], |doubtful| &doubtful.labels)
    }
}

/// The plan: a row to decide on for each doubtful label.
pub fn plan(answer: &Review<'_>) -> String {
    let rows = answer.doubtful_labels().iter().enumerate().map(|(rank, one)| {
        let prediction = answer.prediction(one.row);
        let image = answer.image(prediction.image);
        let (from, to) = (answer.class(prediction.class), answer.class(one.proposed));
        Row {
            path: image.record.path.clone(),
            action: Action::Decide,
            from: from.to_owned(),
            to: to.to_owned(),
            group: String::new(),
            reason: format!("doubtful label {}: scored as {to}", rank + 1),
            confidence: None,
            digest: Some(image.measured.digest),
        }
    });
    plan_of_rows(answer.config, answer.catalog, &rows.collect::<Vec<_>>())
}

impl Reply for Review<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}

impl TableReply for Review<'_> {
    /// One row for each prediction.
    fn csv(&self) -> String {
        let head = [
            "path",
            "class",
            "predicted",
            "score",
            "nearest_predicted",
            "similarity_predicted",
            "nearest_own",
            "similarity_own",
            "reason",
            "flags",
            "suggestion",
            "margin",
        ];
        let rows = self.cases.iter().map(|case| {
            let one = self.prediction(case.row);
            let near = |neighbour: Option<sieve_core::review::Neighbour>| match neighbour {
                Some(near) => [
                    of_path(&self.image(near.image).record.path),
                    format!("{:.3}", near.similarity),
                ],
                None => [String::new(), String::new()],
            };
            let flags: Vec<&str> = case.flags.iter().map(|flag| flag.name()).collect();
            let margin = self.doubtful.map(|doubtful| doubtful.margins[case.row]);
            let mut row = vec![
                of_path(&self.image(one.image).record.path),
                self.class(one.class).to_owned(),
                self.class(one.predicted).to_owned(),
                one.score.map_or(String::new(), |score| score.to_string()),
            ];
            row.extend(near(case.nearest_predicted));
            row.extend(near(case.nearest_own));
            row.extend([
                if case.is_doubtful { "doubtful" } else { "good" }.to_owned(),
                flags.join(" "),
                case.suggestion.map_or("", |suggestion| suggestion.name()).to_owned(),
                margin.map_or(String::new(), |margin| format!("{margin:.6}")),
            ]);
            row
        });
        written(&head, rows)
    }
}
