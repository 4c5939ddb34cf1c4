//! `shortcuts`: what gives a class away besides its content.

use sieve_core::audit::worst_first;
use sieve_core::balance::{self, Settings};
use sieve_core::checks;
use sieve_core::duplicates::CollectionRef;
use sieve_core::inventory::inventory;
use sieve_core::shortcuts::shortcuts;

use super::finding_policy::FindingPolicy;
use super::{Answer, Output, collection, sheet_images, thumbnails, vectors};
use crate::args::ShortcutsArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::sheet;
use crate::present::shortcuts::{self as present, ShortcutReport};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `shortcuts`.
pub fn run(args: &ShortcutsArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let judge = FindingPolicy::new(&args.judging, &config)?;
    args.sheet.iter().try_for_each(|output| config.refuse_inside(output))?;
    let sheet = args.sheet.as_deref().map(NewFile::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    if measured.0.images().next().is_none() {
        return Err(collection::without_images(&config, &measured.0.collection));
    }
    let reach = args.judging.reach;
    collection::search_in(&config, &measured, reach, progress, |catalog, found| {
        let limits = &judge.limits.values;
        let inventory = inventory(catalog);
        let (classes, splits) = (&inventory.classes, &inventory.splits);
        let balance = balance::balance(classes, splits, found, limits, &Settings::default());
        let thumbnails = thumbnails::of_search(&config, &measured, found, progress)?;
        let vectors = vectors::of_search(&args.vectors, found)?;
        let ties = &balance.associations;
        let shortcuts = shortcuts(found, &thumbnails, vectors.as_ref(), ties, progress)?;
        progress.end();
        let mut findings = checks::shortcuts(&shortcuts, limits);
        findings.extend(checks::associations(&balance));
        worst_first(&mut findings);
        let suppressed = judge.suppress(&mut findings);
        let answer = ShortcutReport {
            all: args.all,
            config: &config,
            catalog,
            found,
            thumbnails: &thumbnails,
            limits,
            shortcuts: &shortcuts,
            findings: &findings,
            suppressed: &suppressed,
            judging: judge.settings(found.reach),
            sheet: args.sheet.as_deref(),
        };
        if let Some(file) = sheet {
            let read_limits = config.read_limits();
            let side =
                [CollectionRef { catalog, store: measured.1.as_ref(), limits: &read_limits }];
            let mut rows = sheet_images::fill(present::rows(&answer), &side, progress)?;
            present::mask(&mut rows);
            file.write(&sheet::png(&sheet::paint_rows(&present::title(&answer), &rows)))?;
        }
        let output = Output::of_table(&answer, args.format);
        Ok(Answer { output, exit: judge.exit(&findings) })
    })
}
