//! `audit`: what is here, and what is wrong with it.

use sieve_core::audit;

use super::finding_policy::FindingPolicy;
use super::{Answer, Output, collection};
use crate::args::{AuditArgs, AuditFormat};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::audit::{self as present, Audited};
use crate::progress::TerminalProgress;

/// Answers `audit`.
pub fn run(args: &AuditArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let judge = FindingPolicy::new(&args.judging, &config)?;
    let reach = args.judging.reach;
    collection::search(&config, &args.catalog, reach, progress, |catalog, found| {
        let mut audit = audit::audit(catalog, found, &judge.limits.values, &[]);
        let suppressed = judge.suppress(&mut audit.findings);
        let exit = judge.exit(&audit.findings);
        let answer = Audited {
            all: args.all,
            config: &config,
            catalog,
            found,
            audit: &audit,
            suppressed: &suppressed,
        };
        let output = match args.format {
            AuditFormat::Text => Output::People(present::text(&answer)),
            AuditFormat::Json => {
                Output::Document(present::json(&answer, judge.settings(found.reach)))
            }
            AuditFormat::Csv => Output::Csv(present::csv(&answer)),
            AuditFormat::Markdown => Output::Document(present::markdown(&answer)),
            AuditFormat::Sarif => Output::Document(present::sarif(&answer)),
        };
        Ok(Answer { output, exit })
    })
}
