//! `leakage`: what makes a score on the held-out splits untrue.

use sieve_core::audit::worst_first;
use sieve_core::catalog::Catalog;
use sieve_core::collection::split_of_name;
use sieve_core::inventory::inventory;
use sieve_core::{checks, leakage};

use super::finding_policy::FindingPolicy;
use super::{Answer, Output, collection};
use crate::args::LeakageArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::chart;
use crate::present::leakage::{self as present, Leaks};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `leakage`.
pub fn run(args: &LeakageArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let judge = FindingPolicy::new(&args.judging, &config)?;
    if let Some(output) = &args.removals {
        config.refuse_inside(output)?;
    }
    // A place that cannot be written fails before the long work, not after it.
    let removals = args.removals.as_deref().map(NewFile::create).transpose()?;
    if let Some(out) = &args.chart {
        chart::refuse_other_forms("--chart", out)?;
        config.refuse_inside(out)?;
    }
    let chart_file = args.chart.as_deref().map(NewFile::create).transpose()?;
    let reach = args.judging.reach;
    collection::search(&config, &args.catalog, reach, progress, |catalog, found| {
        if found.images.is_empty() {
            return Err(collection::without_images(&config, &catalog.collection));
        }
        let protect = protected(args, catalog)?;
        let limits = &judge.limits.values;
        let leakage = leakage::leakage(&catalog.collection, found, limits, &protect);
        let mut findings = checks::leakage(&leakage, found);
        findings.extend(checks::names(&catalog.collection, &inventory(catalog)));
        worst_first(&mut findings);
        let suppressed = judge.suppress(&mut findings);
        let answer = Leaks {
            all: args.all,
            has_removals: args.removals.is_some(),
            config: &config,
            catalog,
            found,
            protect: &protect,
            leakage: &leakage,
            findings: &findings,
            suppressed: &suppressed,
            judging: judge.settings(found.reach),
        };
        if let Some(file) = removals {
            file.write(&present::removals(&answer))?;
        }
        if let (Some(file), Some(out)) = (chart_file, &args.chart) {
            file.write(&chart::drawn(&present::chart(catalog), out)?)?;
        }
        let output = Output::of_table(&answer, args.format);
        Ok(Answer { output, exit: judge.exit(&findings) })
    })
}

/// The splits that must not change; fails when the collection has no splits, or not these.
fn protected(args: &LeakageArgs, catalog: &Catalog) -> Result<Vec<String>, Failure> {
    let splits = &catalog.collection.splits;
    if splits.len() < 2 {
        let name = catalog.collection.name();
        let message = match splits.first() {
            None => format!("{name} has no splits to compare"),
            Some(only) => format!("{name} has only one split, {only}"),
        };
        return Err(Failure::call(message).hint(
            "Name several roots (train=FOLDER test=FOLDER), folders (--splits NAME,...) or a split \
             table (--splits-from FILE.csv).",
        ));
    }
    let split = |word: &String| {
        let name = split_of_name(word).unwrap_or(word);
        if splits.iter().any(|split| split == name) {
            return Ok(name.to_owned());
        }
        let message = format!("--protect {word}: there is no such split");
        Err(Failure::unknown(message, word, splits))
    };
    args.protect.iter().map(split).collect()
}
