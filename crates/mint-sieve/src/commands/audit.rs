//! `audit`: what is here, and what is wrong with it.

use sieve_core::audit;

use super::judging::Judge;
use super::{Answer, collection};
use crate::args::{AuditArgs, AuditFormat};
use crate::failure::Failure;
use crate::present::audit::{self as present, Audited};
use crate::progress::Progress;

/// Answers `audit`.
pub fn run(args: &AuditArgs, progress: &Progress) -> Result<Answer, Failure> {
    let judge = Judge::of(&args.judging, &args.collection)?;
    let reach = args.judging.reach;
    collection::search(&args.collection, &args.catalog, reach, progress, |catalog, found| {
        let mut audit = audit::audit(catalog, found, &judge.limits.values, &[]);
        let excused = judge.sift(&mut audit.findings);
        let exit = judge.exit(&audit.findings);
        let answer = Audited { args, catalog, found, audit: &audit, excused: &excused };
        let text = match args.format {
            AuditFormat::Text => present::text(&answer),
            AuditFormat::Json => present::json(&answer, judge.settings(found.reach)),
            AuditFormat::Csv => present::csv(&answer),
            AuditFormat::Markdown => present::markdown(&answer),
            AuditFormat::Sarif => present::sarif(&answer),
        };
        Ok(Answer { text, exit })
    })
}
