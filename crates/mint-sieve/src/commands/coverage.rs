//! `coverage`: what a class lacks, and which classes look alike.

use sieve_core::appearance::Source;
use sieve_core::coverage::coverage;
use sieve_core::duplicates::CollectionRef;

use super::preview::TRAIN;
use super::{Answer, Output, collection, sheet_images, thumbnails, vectors};
use crate::args::CoverageArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::coverage::{self as present, CoverageReport};
use crate::present::sheet;
use crate::progress::TerminalProgress;
use crate::settings::SetLimits;
use crate::writing::NewFile;

/// Answers `coverage`.
pub fn run(args: &CoverageArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let limits = SetLimits::new(&config.settings, &args.limits)?;
    args.sheet.iter().try_for_each(|output| config.refuse_inside(output))?;
    let sheet = args.sheet.as_deref().map(NewFile::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    if measured.0.images().next().is_none() {
        return Err(collection::without_images(&config, &measured.0.collection));
    }
    collection::search_in(&config, &measured, args.reach, progress, |catalog, found| {
        let vectors = vectors::of_search(&args.vectors, found)?;
        let thumbnails =
            thumbnails::unless(vectors.is_some(), &config, &measured, found, progress)?;
        let source = Source::of(vectors.as_ref(), &thumbnails);
        let training = catalog.collection.splits.iter().any(|split| split == TRAIN);
        let training = training.then_some(TRAIN);
        let values = &limits.values;
        let coverage = coverage(found, &source, training, values, args.seed, progress)?;
        progress.end();
        let answer = CoverageReport {
            all: args.all,
            config: &config,
            catalog,
            found,
            coverage: &coverage,
            training,
            seed: args.seed,
            vectors: args.vectors.vectors.as_deref(),
            chance: values.chance,
            sheet: args.sheet.as_deref(),
        };
        if let Some(file) = sheet {
            let read_limits = config.read_limits();
            let side =
                [CollectionRef { catalog, store: measured.1.as_ref(), limits: &read_limits }];
            let rows = sheet_images::fill(present::rows(&answer), &side, progress)?;
            file.write(&sheet::png(&sheet::paint_rows(&present::title(&answer), &rows)))?;
        }
        Ok(Answer::done(Output::of_table(&answer, args.format)))
    })
}
