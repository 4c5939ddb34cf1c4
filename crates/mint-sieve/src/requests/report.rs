//! What `report` puts on its page.

use std::path::PathBuf;

use sieve_core::finding::Code;

use crate::args::ReportArgs;

/// What `report` puts on its page.
#[derive(Clone, Debug)]
pub struct ReportRequest {
    /// The page.
    pub out: PathBuf,
    /// Policies whose effect is shown: files or names of examples.
    pub policies: Vec<PathBuf>,
    /// Random images of each class.
    pub per_class: u32,
    /// The seed of the sample.
    pub seed: u64,
    /// Limits that were set, as `NAME=VALUE`.
    pub limits: Vec<String>,
    /// Codes of the only findings that are reported; none for all.
    pub only: Vec<Code>,
    /// Codes of findings that are not reported.
    pub suppress: Vec<Code>,
    /// Whether the reach was set.
    pub has_reach: bool,
}

impl From<&ReportArgs> for ReportRequest {
    fn from(args: &ReportArgs) -> Self {
        ReportRequest {
            out: args.out.clone(),
            policies: args.policies.clone(),
            per_class: args.per_class,
            seed: args.seed,
            limits: args.judging.limits.clone(),
            only: args.judging.only.clone(),
            suppress: args.judging.suppress.clone(),
            has_reach: args.judging.reach.is_some(),
        }
    }
}
