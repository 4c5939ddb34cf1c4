//! The answer of `audit`.

mod csv;
mod json;
mod markdown;
mod sarif;
mod text;

use sieve_core::audit::Audit;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::suppression::Suppressed;

use super::{JudgingSettings, Reply, TableReply};
use crate::config::CollectionConfig;

/// An audit and what it was made of.
pub struct Audited<'a> {
    /// Whether everything is listed.
    pub all: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What was measured.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// What came out.
    pub audit: &'a Audit,
    /// What is accepted.
    pub suppressed: &'a [Suppressed],
    /// What decided.
    pub judging: JudgingSettings,
}

impl Reply for Audited<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}

impl TableReply for Audited<'_> {
    fn csv(&self) -> String {
        csv::csv(self)
    }
}

impl Audited<'_> {
    /// The answer as a page for a wiki, a merge request, a code host.
    pub fn markdown(&self) -> String {
        markdown::markdown(self)
    }

    /// The answer in the format of static analysis (SARIF 2.1.0).
    pub fn sarif(&self) -> String {
        sarif::sarif(self)
    }
}
