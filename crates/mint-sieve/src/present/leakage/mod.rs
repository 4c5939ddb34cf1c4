//! The answer of `leakage`.

mod chart;
mod csv;
mod json;
mod tables;
mod text;

pub use chart::chart;
pub use csv::removals;
pub use tables::{pair_table, split_table};
pub use text::split_pairs;

use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::finding::Finding;
use sieve_core::leakage::Leakage;
use sieve_core::record::Record;
use sieve_core::suppression::Suppressed;

use super::{JudgingSettings, Reply, TableReply};
use crate::config::CollectionConfig;

/// What is wrong between splits, and what that was found in.
pub struct Leaks<'a> {
    /// Whether everything is listed.
    pub all: bool,
    /// Whether the list of removals was written.
    pub has_removals: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What was measured.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// The splits that must not change.
    pub protect: &'a [String],
    /// What came out.
    pub leakage: &'a Leakage,
    /// What is wrong with it.
    pub findings: &'a [Finding],
    /// What is accepted.
    pub suppressed: &'a [Suppressed],
    /// What decided.
    pub judging: JudgingSettings,
}

impl<'a> Leaks<'a> {
    fn record(&self, image: u32) -> &'a Record {
        self.found.images[image as usize].record
    }
}

impl Reply for Leaks<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}

impl TableReply for Leaks<'_> {
    fn csv(&self) -> String {
        csv::csv(self)
    }
}
