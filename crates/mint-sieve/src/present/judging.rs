//! What decided which findings are reported, as settings of an answer.

use std::collections::BTreeMap;

use serde::Serialize;
use sieve_core::finding::Code;

use super::ReadingSettings;

/// What decided which findings are reported.
#[derive(Serialize)]
pub struct JudgingSettings {
    #[serde(flatten)]
    pub reading: ReadingSettings,
    pub limits: BTreeMap<&'static str, f64>,
    pub only: Vec<Code>,
    pub suppress: Vec<Code>,
    pub reach: &'static str,
}
