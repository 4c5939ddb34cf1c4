//! What becomes of findings before they are reported: which are suppressed, and what status the others exit with.

use sieve_core::finding::{Finding, Severity};
use sieve_core::suppression::{Selection, Suppressed};

use crate::args::JudgingArgs;
use crate::config::CollectionConfig;
use crate::failure::{Exit, Failure};
use crate::present::{JudgingSettings, ReadingSettings};
use crate::settings::SetLimits;

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

    /// Takes out the findings that are not reported, and says what was suppressed.
    pub fn suppress(&self, findings: &mut Vec<Finding>) -> Vec<Suppressed> {
        self.selection.apply(findings)
    }

    /// The status to exit with after these findings were reported.
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
