//! `outliers`: images unlike their class, as a list of what to look at first.

use std::collections::BTreeMap;

use sieve_core::appearance::Source;
use sieve_core::collection::composed;
use sieve_core::duplicates::CollectionRef;
use sieve_core::outliers::{Outlier, Outliers, outliers};

use super::{Answer, Output, collection, refuse_same, sheet_images, thumbnails, vectors};
use crate::args::OutliersArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::outliers::{self as present, OutlierList};
use crate::present::sheet;
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `outliers`.
pub fn run(args: &OutliersArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    for output in [&args.plan, &args.sheet].into_iter().flatten() {
        config.refuse_inside(output)?;
    }
    refuse_same("--plan", args.plan.as_deref(), "--sheet", args.sheet.as_deref())?;
    // A place that cannot be written fails before the long work, not after it.
    let plan = args.plan.as_deref().map(NewFile::create).transpose()?;
    let sheet = args.sheet.as_deref().map(NewFile::create).transpose()?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    if measured.0.images().next().is_none() {
        return Err(collection::without_images(&config, &measured.0.collection));
    }
    let known = measured.0.collection.classes();
    let classes: Vec<String> =
        args.classes.iter().map(|class| composed(class).into_owned()).collect();
    if let Some(class) = classes.iter().find(|class| !known.contains(class)) {
        return Err(Failure::unknown(format!("there is no class {class:?}"), class, &known));
    }
    collection::search_in(&config, &measured, args.reach, progress, |catalog, found| {
        let vectors = vectors::of_search(&args.vectors, found)?;
        let thumbnails =
            thumbnails::unless(vectors.is_some(), &config, &measured, found, progress)?;
        let source = Source::of(vectors.as_ref(), &thumbnails);
        let outliers = outliers(found, &source, progress)?;
        progress.end();
        let listed = listed(&outliers, &classes, args);
        let answer = OutlierList {
            config: &config,
            catalog,
            found,
            outliers: &outliers,
            listed: &listed,
            classes: &classes,
            per_class: args.per_class,
            top: args.top,
            vectors: args.vectors.vectors.as_deref(),
            plan: args.plan.as_deref(),
            sheet: args.sheet.as_deref(),
        };
        if let Some(file) = plan {
            file.write(present::plan(&answer).as_bytes())?;
        }
        if let Some(file) = sheet {
            let limits = config.read_limits();
            let side = [CollectionRef { catalog, store: measured.1.as_ref(), limits: &limits }];
            let rows = sheet_images::fill(present::rows(&answer), &side, progress)?;
            file.write(&sheet::png(&sheet::paint_rows(&present::title(&answer), &rows)))?;
        }
        Ok(Answer::done(Output::of_table(&answer, args.format)))
    })
}

/// The images that are listed, each with its rank among all, from 1.
fn listed(outliers: &Outliers, classes: &[String], args: &OutliersArgs) -> Vec<(usize, Outlier)> {
    let mut counts: BTreeMap<u32, u32> = BTreeMap::new();
    let of_class = |class: u32| outliers.subject.classes[class as usize].class.as_str();
    let wanted = (1..).zip(outliers.ranking.iter().copied()).filter(|(_, one)| {
        classes.is_empty() || classes.iter().any(|class| class == of_class(one.class))
    });
    let wanted = wanted.filter(|(_, one)| {
        let count = counts.entry(one.class).or_default();
        *count += 1;
        args.per_class.is_none_or(|most| *count <= most)
    });
    wanted.take(args.top as usize).collect()
}
