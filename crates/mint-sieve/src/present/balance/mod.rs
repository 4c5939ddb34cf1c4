//! The answer of `balance`.

mod charts;
mod medians;
mod tables;
mod text;

pub use charts::{class_chart, measure_chart};
pub use medians::median_table;
pub use tables::{class_table, held_out_table};

use serde::Serialize;
use sieve_core::balance::Balance;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::finding::Finding;
use sieve_core::suppression::Suppressed;

use super::{JudgingSettings, Reply, TableReply, envelope};
use crate::config::CollectionConfig;

/// A balance and what it was made of.
pub struct Balanced<'a> {
    /// Whether everything is listed.
    pub all: bool,
    /// Images of a batch; none where steps are not counted.
    pub batch: Option<u64>,
    /// Beta of the effective numbers of samples.
    pub beta: f64,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What was measured.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// What came out.
    pub balance: &'a Balance,
    /// What is wrong with it.
    pub findings: &'a [Finding],
    /// What is accepted.
    pub suppressed: &'a [Suppressed],
    /// What decided.
    pub judging: JudgingSettings,
}

#[derive(Serialize)]
struct Decided<S: Serialize> {
    #[serde(flatten)]
    judging: S,
    batch: Option<u64>,
    beta: f64,
}

#[derive(Serialize)]
struct Body<'a> {
    root: String,
    #[serde(flatten)]
    balance: &'a Balance,
    findings: &'a [Finding],
    suppressed: &'a [Suppressed],
}

fn json(answer: &Balanced<'_>) -> String {
    let settings = Decided { judging: &answer.judging, batch: answer.batch, beta: answer.beta };
    let body = Body {
        root: answer.catalog.collection.name(),
        balance: answer.balance,
        findings: answer.findings,
        suppressed: answer.suppressed,
    };
    envelope("balance", settings, body)
}

/// `balance --format csv`: a row a class and split, the whole class with an empty split.
fn csv(answer: &Balanced<'_>) -> String {
    let mut rows = Vec::new();
    for (class, weight) in answer.balance.classes.iter().zip(&answer.balance.weights) {
        let number =
            |weight: Option<f64>| weight.map_or(String::new(), |weight| weight.to_string());
        rows.push([
            class.class.clone(),
            String::new(),
            class.images.to_string(),
            class.independent.to_string(),
            class.share.to_string(),
            number(weight.inverse_frequency),
            number(weight.effective_number),
            class.shortfall.to_string(),
            class.shortfall_independent.to_string(),
        ]);
        rows.extend(class.splits.iter().map(|split| {
            let [none, other, one, more] = [const { String::new() }; 4];
            [
                class.class.clone(),
                split.split.clone(),
                split.images.to_string(),
                split.independent.to_string(),
                split.share.to_string(),
                none,
                other,
                one,
                more,
            ]
        }));
    }
    let head = [
        "class",
        "split",
        "images",
        "independent",
        "share",
        "weight_inverse_frequency",
        "weight_effective_number",
        "shortfall",
        "shortfall_independent",
    ];
    super::table::written(&head, rows)
}

impl Reply for Balanced<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}

impl TableReply for Balanced<'_> {
    fn csv(&self) -> String {
        csv(self)
    }
}
