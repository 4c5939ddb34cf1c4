//! `review`: what the wrong predictions of a model say about the data.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use sieve_core::appearance::Source;
use sieve_core::balance::{self, Settings};
use sieve_core::collection::CLASS_INDEX;
use sieve_core::duplicates::{CollectionRef, DuplicateReport};
use sieve_core::inventory::inventory;
use sieve_core::outliers::{Outliers, Standout, outliers};
use sieve_core::pack::ClassIndex;
use sieve_core::progress::Progress;
use sieve_core::review::{
    Known, Matched, PredictionTable, Unmatchable, against, cases, doubtful_labels, factors,
    matched, metrics,
};
use sieve_core::shortcuts::shortcuts;
use sieve_core::{checks, limits::FindingLimits};

use super::preview::TRAIN;
use super::{
    Answer, Output, collection, photograph, refuse_same, sheet_images, thumbnails, vectors,
};
use crate::args::ReviewArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::review::{self as present, Review};
use crate::present::{chart, sheet, web};
use crate::progress::TerminalProgress;
use crate::settings::SetLimits;
use crate::writing::{NewFile, parent};

/// The share of images, the most unusual first, that count as outliers: in trials with planted errors the upper twentieth held
/// most of those that could be found at all.
const OUTLIERS: f64 = 0.05;

/// Answers `review`.
pub fn run(args: &ReviewArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    let limits = SetLimits::new(&config.settings, &args.limits)?.values;
    let charts = [("--chart", &args.chart), ("--calibration-chart", &args.calibration_chart)];
    for (option, chart) in charts {
        chart.iter().try_for_each(|chart| chart::refuse_other_forms(option, chart))?;
    }
    args.out.iter().try_for_each(|out| web::refuse_other_formats("a review", out))?;
    let outputs = outputs(args);
    for (at, (one, first)) in outputs.iter().enumerate() {
        first.iter().try_for_each(|output| config.refuse_inside(output))?;
        for (other, second) in &outputs[at + 1..] {
            refuse_same(one, *first, other, *second)?;
        }
    }
    // A place that cannot be written fails before the long work, not after it.
    let [page, sheet_file, plan, chart_file, calibration_file] =
        outputs.map(|(_, output)| output.map(NewFile::create).transpose());
    let (page, sheet_file, plan) = (page?, sheet_file?, plan?);
    let (chart_file, calibration_file) = (chart_file?, calibration_file?);
    let table = read(&args.predictions)?;
    let earlier = args.against.as_deref().map(read).transpose()?;
    let numbers = class_numbers(args, &config)?;
    let measured = collection::measure(&config, &args.catalog, progress)?;
    if measured.0.images().next().is_none() {
        return Err(collection::without_images(&config, &measured.0.collection));
    }
    collection::search_in(&config, &measured, args.reach, progress, |catalog, found| {
        let of_images = |table: &PredictionTable, file: &Path| -> Result<Matched, Failure> {
            let matched = matched(table, found, numbers.as_ref()).map_err(|why| {
                let failure = unusable(file, &why.to_string());
                match why {
                    Unmatchable::NoClassIndex => {
                        failure.hint("Name the model's class index with --class-index FILE.csv.")
                    }
                    _ => failure,
                }
            })?;
            match matched.predictions.is_empty() {
                true => Err(none_matched(file, &matched)),
                false => Ok(matched),
            }
        };
        let matched = of_images(&table, &args.predictions)?;
        let before = earlier.as_ref().zip(args.against.as_deref());
        let before = before.map(|(table, file)| of_images(table, file)).transpose()?;
        let vectors = vectors::of_search(&args.vectors, found)?;
        let thumbnails = thumbnails::of_search(&config, &measured, found, progress)?;
        let source = Source::of(vectors.as_ref(), &thumbnails);
        let (similar, row_of) = source.similar();
        let unusual = outliers(found, &source, progress)?;
        let ties = ties(catalog, found, &limits);
        let given_away = shortcuts(found, &thumbnails, vectors.as_ref(), &ties, progress)?;
        let given_away: BTreeSet<String> = given_away
            .classes
            .iter()
            .filter(|class| class.is_background(&limits))
            .map(|class| class.class.clone())
            .collect();
        let has_training = catalog.collection.splits.iter().any(|split| split == TRAIN);
        let doubtful = doubtful_labels(&matched);
        let doubted = doubtful.iter().flat_map(|doubtful| &doubtful.labels).map(|one| one.row);
        let known = Known {
            similar: (&similar, &row_of),
            training: has_training.then_some(TRAIN),
            findings: &checks::images(catalog, &limits),
            outliers: &most_unusual(&unusual),
            shortcuts: &given_away,
            doubtful: &doubted.collect(),
        };
        progress.begin("comparing predictions with training images", None);
        let (cases, quadrants) = cases(&matched, found, &known);
        let groups = (&similar, &row_of[..]);
        let factors = factors(&matched, found, &thumbnails, groups, limits.chance, args.seed);
        let (scores, independence) = metrics(&matched, found, TRAIN);
        progress.end();
        let answer = Review {
            config: &config,
            catalog,
            found,
            predictions: &args.predictions,
            matched: &matched,
            scores: &scores,
            independence: independence.as_ref(),
            cases: &cases,
            quadrants: &quadrants,
            factors: &factors,
            shortcuts: &given_away,
            doubtful: doubtful.as_ref(),
            against: before.as_ref().map(|before| against(&matched, before)),
            against_file: args.against.as_deref(),
            chance: limits.chance,
            seed: args.seed,
            top: args.top as usize,
            all: args.all,
            vectors: args.vectors.vectors.as_deref(),
            written: outputs_written(args),
        };
        if let Some(file) = plan {
            file.write(present::plan(&answer).as_bytes())?;
        }
        if let (Some(file), Some(out)) = (chart_file, &args.chart) {
            file.write(&chart::drawn(&present::confusion_chart(&answer), out)?)?;
        }
        if let (Some(file), Some(out)) = (calibration_file, &args.calibration_chart) {
            let drawn = present::calibration_chart(&answer).ok_or_else(|| {
                Failure::call("--calibration-chart needs a score for every prediction".to_owned())
            })?;
            file.write(&chart::drawn(&drawn, out)?)?;
        }
        let read_limits = config.read_limits();
        let side = [CollectionRef { catalog, store: measured.1.as_ref(), limits: &read_limits }];
        if let Some(file) = sheet_file {
            let rows = sheet_images::fill(present::rows(&answer), &side, progress)?;
            file.write(&sheet::png(&sheet::paint_rows(&present::title(&answer), &rows)))?;
        }
        if let (Some(file), Some(out)) = (page, &args.out) {
            let mut album = web::ImageRegistry::default();
            let shown = present::page_cases(&answer, &mut album);
            photograph::take(&config, catalog, &mut album, progress)?;
            let page = present::page(&answer, shown, &album, parent(out))?;
            file.write(page.as_bytes())?;
        }
        Ok(Answer::done(Output::of_table(&answer, args.format)))
    })
}

/// The files that are written, by their options.
fn outputs(args: &ReviewArgs) -> [(&'static str, Option<&Path>); 5] {
    [
        ("--out", args.out.as_deref()),
        ("--sheet", args.sheet.as_deref()),
        ("--plan", args.plan.as_deref()),
        ("--chart", args.chart.as_deref()),
        ("--calibration-chart", args.calibration_chart.as_deref()),
    ]
}

fn outputs_written(args: &ReviewArgs) -> Vec<PathBuf> {
    outputs(args).iter().filter_map(|(_, output)| output.map(Path::to_owned)).collect()
}

fn read(file: &Path) -> Result<PredictionTable, Failure> {
    PredictionTable::read(file).map_err(|why| unusable(file, &why))
}

fn unusable(file: &Path, why: &str) -> Failure {
    Failure::input(format!("the predictions in {} cannot be used: {why}", file.display()))
}

/// The failure of a table of which no row can be used.
fn none_matched(file: &Path, matched: &Matched) -> Failure {
    let unmatched = &matched.unmatched;
    let message = format!("no prediction in {} can be used", file.display());
    let unknown = unmatched.unknown.first();
    let unusable = unmatched.unusable.first();
    let hint = match (unusable, unknown) {
        (Some((row, why)), _) => format!("For example {row:?}: {why}."),
        (None, Some(row)) => format!(
            "No image of the collection is {row:?}; expected paths relative to its root, or digests."
        ),
        (None, None) => "Every image has several rows, or no class.".to_owned(),
    };
    Failure::input(message).hint(hint)
}

/// The classes of a class index: the one that was named, or that of the collection.
fn class_numbers(
    args: &ReviewArgs,
    config: &CollectionConfig,
) -> Result<Option<Vec<String>>, Failure> {
    let Some(file) = &args.class_index else {
        // A link would lead out of the collection; what is no index is not needed unless predictions are numbers.
        let own = config.roots.first().map(|root| root.path.join(CLASS_INDEX));
        let is_file = |file: &PathBuf| file.symlink_metadata().is_ok_and(|facts| facts.is_file());
        return Ok(own.filter(is_file).and_then(|file| ClassIndex::read_order(&file).ok()));
    };
    ClassIndex::read_order(file).map(Some).map_err(|why| {
        Failure::input(format!("the class index {} cannot be used: {why}", file.display()))
    })
}

/// The numbers of the most unusual images in the report of the search, and what stands out.
fn most_unusual(outliers: &Outliers) -> BTreeMap<u32, Standout> {
    let count = (outliers.ranking.len() as f64 * OUTLIERS) as usize;
    let first = outliers.ranking.iter().take(count);
    first.map(|one| (outliers.subject.images[one.row], one.reason)).collect()
}

/// How classes go together with facts.
fn ties(
    catalog: &sieve_core::catalog::Catalog,
    found: &DuplicateReport<'_>,
    limits: &FindingLimits,
) -> Vec<balance::Association> {
    let inventory = inventory(catalog);
    let (classes, splits) = (&inventory.classes, &inventory.splits);
    balance::balance(classes, splits, found, limits, &Settings::default()).associations
}
