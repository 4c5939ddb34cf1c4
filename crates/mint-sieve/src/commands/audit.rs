//! `audit`: what is here, and what is wrong with it.

use serde::Serialize;
use sieve_core::audit;
use sieve_core::finding::Severity;
use sieve_core::limits::{FindingLimits, LIMITS};
use sieve_core::nearest;

use super::{Answer, collection};
use crate::args::{AuditArgs, AuditFormat};
use crate::failure::{Exit, Failure};
use crate::present;
use crate::progress::Progress;

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: present::ReadingSettings,
    limits: std::collections::BTreeMap<&'static str, f64>,
}

/// Answers `audit`.
pub fn run(args: &AuditArgs, progress: &Progress) -> Result<Answer, Failure> {
    let limits = limits(&args.limits)?;
    let catalog = collection::measure(&args.collection, &args.catalog, progress)?;
    let audit = audit::audit(&catalog, &limits);
    let text = match args.format {
        AuditFormat::Text => present::audit::text(args, &catalog, &audit),
        AuditFormat::Json => {
            let settings = Settings {
                reading: present::ReadingSettings::of(&args.collection),
                limits: limits.values().into_iter().collect(),
            };
            present::audit::json(&catalog, &audit, settings)
        }
    };
    let reached = |level: Severity| audit.findings.iter().any(|finding| finding.severity <= level);
    let found = args.fail_on.is_some_and(|level| reached(level.into()));
    Ok(Answer { text, exit: if found { Exit::Found } else { Exit::Done } })
}

fn limits(settings: &[String]) -> Result<FindingLimits, Failure> {
    let mut limits = FindingLimits::default();
    for setting in settings {
        let wrong = |what: String| Failure::call(format!("--limit {setting}: {what}"));
        let (name, value) = setting
            .split_once('=')
            .ok_or_else(|| wrong("expected NAME=VALUE, for example thin-class=30".into()))?;
        let is_limit = |value: &f64| value.is_finite() && *value >= 0.0;
        let value: f64 = value.parse().ok().filter(is_limit).ok_or_else(|| {
            wrong(format!("the value is {value:?}; expected a number from 0 upward"))
        })?;
        if !limits.set(name, value) {
            let names = LIMITS.iter().map(|limit| limit.name);
            let known = names.clone().collect::<Vec<_>>().join(", ");
            let failure = wrong(format!("there is no limit {name:?}; there are {known}"));
            return Err(match nearest::word(name, names) {
                Some(near) => failure.hint(format!("Did you mean {near}?")),
                None => failure,
            });
        }
    }
    Ok(limits)
}
