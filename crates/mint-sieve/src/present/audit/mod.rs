//! The answer of `audit`.

mod json;
mod markdown;
mod sarif;
mod table;
mod text;

pub use json::json;
pub use markdown::markdown;
pub use sarif::sarif;
pub use table::csv;
pub use text::text;

use sieve_core::audit::Audit;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::suppression::Suppressed;

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
}
