//! What becomes of findings before they are told: which are suppressed, and what status the others exit with.

use std::collections::BTreeMap;

use serde::Serialize;
use sieve_core::finding::{Code, Finding, Severity};
use sieve_core::suppression::{Selection, Suppressed};

use crate::args::JudgingArgs;
use crate::config::CollectionConfig;
use crate::failure::{Exit, Failure};
use crate::present::ReadingSettings;
use crate::settings::SetLimits;

/// What decided which findings are told.
#[derive(Serialize)]
pub struct JudgingSettings {
    #[serde(flatten)]
    reading: ReadingSettings,
    limits: BTreeMap<&'static str, f64>,
    only: Vec<Code>,
    suppress: Vec<Code>,
    reach: &'static str,
}

/// How a command judges its findings.
pub struct FindingPolicy<'a> {
    args: &'a JudgingArgs,
    config: &'a CollectionConfig,
    selection: Selection,
    /// The limits in force.
    pub limits: SetLimits,
}

impl<'a> FindingPolicy<'a> {
    /// The judge that the arguments ask for; fails when a limit is wrong.
    pub fn new(args: &'a JudgingArgs, config: &'a CollectionConfig) -> Result<Self, Failure> {
        let limits = SetLimits::new(&config.settings, &args.limits)?;
        let selection = Selection {
            only: args.only.clone(),
            suppress: args.suppress.clone(),
            suppressions: config.settings.suppressions.clone(),
        };
        Ok(FindingPolicy { args, config, selection, limits })
    }

    /// Takes out the findings that are not told, and says what was suppressed.
    pub fn suppress(&self, findings: &mut Vec<Finding>) -> Vec<Suppressed> {
        self.selection.apply(findings)
    }

    /// The status to exit with after these findings were told.
    pub fn exit(&self, findings: &[Finding]) -> Exit {
        let level: Option<Severity> = self.args.fail_on.map(Into::into);
        let reached = |level: Severity| findings.iter().any(|finding| finding.severity <= level);
        if level.is_some_and(reached) { Exit::Finding } else { Exit::Done }
    }

    /// What decided, for an answer that looked so far for copies.
    pub fn settings(&self, reach: sieve_core::duplicates::Reach) -> JudgingSettings {
        JudgingSettings {
            reading: ReadingSettings::new(self.config),
            limits: self.limits.values.values().into_iter().collect(),
            only: self.args.only.clone(),
            suppress: self.args.suppress.clone(),
            reach: reach.name(),
        }
    }
}
