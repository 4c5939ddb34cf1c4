//! `audit`: what is here, and what is wrong with it.

use sieve_core::audit;
use sieve_core::shortcuts::shortcuts;

use super::finding_policy::FindingPolicy;
use super::{Answer, Output, collection, thumbnails};
use crate::args::{AuditArgs, AuditFormat};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::audit::Audited;
use crate::present::{Reply, TableReply};
use crate::progress::TerminalProgress;

/// Answers `audit`.
pub fn run(args: &AuditArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let judge = FindingPolicy::new(&args.judging, &config)?;
    let reach = args.judging.reach;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    collection::search_in(&config, &measured, reach, progress, |catalog, found| {
        let limits = &judge.limits.values;
        let mut audit = audit::audit(catalog, found, limits, &[]);
        let thumbnails = thumbnails::of_search(&config, &measured, found, progress)?;
        let ties = &audit.balance.associations;
        let shortcuts = shortcuts(found, &thumbnails, None, ties, progress)?;
        progress.end();
        audit.add_shortcuts(&shortcuts, limits);
        let suppressed = judge.suppress(&mut audit.findings);
        let exit = judge.exit(&audit.findings);
        let answer = Audited {
            all: args.all,
            config: &config,
            catalog,
            found,
            audit: &audit,
            suppressed: &suppressed,
            judging: judge.settings(found.reach),
        };
        let output = match args.format {
            AuditFormat::Text => Output::People(answer.text()),
            AuditFormat::Json => Output::Document(answer.json()),
            AuditFormat::Csv => Output::Csv(answer.csv()),
            AuditFormat::Markdown => Output::Document(answer.markdown()),
            AuditFormat::Sarif => Output::Document(answer.sarif()),
        };
        Ok(Answer { output, exit })
    })
}
