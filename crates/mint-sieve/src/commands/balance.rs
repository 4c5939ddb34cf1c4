//! `balance`: what the counts of the classes hide.

use sieve_core::audit::worst_first;
use sieve_core::balance::{self, Settings};
use sieve_core::checks;
use sieve_core::inventory::inventory;

use super::finding_policy::FindingPolicy;
use super::{Answer, Output, collection};
use crate::args::BalanceArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::balance::{self as present, Balanced};
use crate::present::chart;
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `balance`.
pub fn run(args: &BalanceArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let judge = FindingPolicy::new(&args.judging, &config)?;
    let reach = args.judging.reach;
    let charts = [&args.chart, &args.measures_chart];
    let files = charts.map(|out| -> Result<_, Failure> {
        let Some(out) = out else { return Ok(None) };
        chart::refuse_other_forms("--chart", out)?;
        config.refuse_inside(out)?;
        Ok(Some((out, NewFile::create(out)?)))
    });
    let [classes_file, measures_file] = files;
    let (classes_file, measures_file) = (classes_file?, measures_file?);
    collection::search(&config, &args.catalog, reach, progress, |catalog, found| {
        let inventory = inventory(catalog);
        if inventory.images == inventory.unclassed() {
            return Err(collection::without_images(&config, &catalog.collection));
        }
        let settings = Settings { batch: args.batch, beta: args.beta };
        let limits = &judge.limits.values;
        let (classes, splits) = (&inventory.classes, &inventory.splits);
        let balance = balance::balance(classes, splits, found, limits, &settings);
        let mut findings = checks::classes(&catalog.collection, &inventory, limits);
        findings.extend(checks::balance(&balance, limits));
        worst_first(&mut findings);
        let suppressed = judge.suppress(&mut findings);
        let answer = Balanced {
            all: args.all,
            batch: args.batch,
            beta: args.beta,
            config: &config,
            catalog,
            found,
            balance: &balance,
            findings: &findings,
            suppressed: &suppressed,
            judging: judge.settings(found.reach),
        };
        if let Some((out, file)) = classes_file {
            file.write(&chart::drawn(&present::class_chart(catalog, &balance), out)?)?;
        }
        if let Some((out, file)) = measures_file {
            file.write(&chart::drawn(&present::measure_chart(catalog), out)?)?;
        }
        let output = Output::of_table(&answer, args.format);
        Ok(Answer { output, exit: judge.exit(&findings) })
    })
}
