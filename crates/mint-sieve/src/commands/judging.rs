//! What becomes of findings before they are told: some are excused, some were not asked for.

use std::collections::BTreeMap;

use serde::Serialize;
use sieve_core::excuse::{Excuse, excuse};
use sieve_core::finding::{Code, Finding, Severity};

use crate::args::{CollectionArgs, JudgingArgs};
use crate::failure::{Exit, Failure};
use crate::present::ReadingSettings;
use crate::settings::SetLimits;

/// Findings that `mint-sieve.toml` excuses.
#[derive(Serialize)]
pub struct Excused {
    /// Of this code, or of any.
    pub code: Option<&'static str>,
    /// About this class, or about any.
    pub class: Option<String>,
    /// About files below these paths, or about any.
    pub path: Option<String>,
    /// Why.
    pub reason: String,
    /// How many; 0 when the excuse is of no use any more.
    pub findings: usize,
}

/// What decided which findings are told.
#[derive(Serialize)]
pub struct JudgingSettings {
    #[serde(flatten)]
    reading: ReadingSettings,
    limits: BTreeMap<&'static str, f64>,
    only: Vec<Code>,
    ignore: Vec<Code>,
    reach: &'static str,
}

/// How a command judges its findings.
pub struct Judge<'a> {
    args: &'a JudgingArgs,
    collection: &'a CollectionArgs,
    /// The limits in force.
    pub limits: SetLimits,
}

impl<'a> Judge<'a> {
    /// The judge that the arguments ask for; fails when a limit is wrong.
    pub fn of(args: &'a JudgingArgs, collection: &'a CollectionArgs) -> Result<Self, Failure> {
        let limits = SetLimits::of(&collection.reading.settings, &args.limits)?;
        Ok(Judge { args, collection, limits })
    }

    /// Takes out the findings that are not told, and says what was excused.
    pub fn sift(&self, findings: &mut Vec<Finding>) -> Vec<Excused> {
        let JudgingArgs { only, ignore, .. } = self.args;
        findings.retain(|finding| {
            (only.is_empty() || only.contains(&finding.code)) && !ignore.contains(&finding.code)
        });
        let excuses = &self.collection.reading.settings.excuses;
        let taken = excuse(findings, excuses);
        let excused = |(excuse, findings): (&Excuse, usize)| Excused {
            code: excuse.code.map(Code::as_str),
            class: excuse.class.clone(),
            path: excuse.paths.as_ref().map(|paths| paths.pattern.clone()),
            reason: excuse.reason.clone(),
            findings,
        };
        excuses.iter().zip(taken).map(excused).collect()
    }

    /// The status to exit with after these findings were told.
    pub fn exit(&self, findings: &[Finding]) -> Exit {
        let level: Option<Severity> = self.args.fail_on.map(Into::into);
        let reached = |level: Severity| findings.iter().any(|finding| finding.severity <= level);
        if level.is_some_and(reached) { Exit::Found } else { Exit::Done }
    }

    /// What decided, for an answer that looked so far for copies.
    pub fn settings(&self, reach: sieve_core::duplicates::Reach) -> JudgingSettings {
        JudgingSettings {
            reading: ReadingSettings::of(self.collection),
            limits: self.limits.values.values().into_iter().collect(),
            only: self.args.only.clone(),
            ignore: self.args.ignore.clone(),
            reach: reach.name(),
        }
    }
}
