//! `duplicates`: finds copies, variants and bursts.

use sieve_core::duplicates::{self, CollectionRef, Request};

use super::{Answer, Output, collection, refuse_same, sheet_images};
use crate::args::{CatalogArgs, DuplicatesArgs, Within};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::{self, duplicates::Duplicates, sheet};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `duplicates`.
pub fn run(args: &DuplicatesArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let reading = &args.collection.reading;
    let config = CollectionConfig::resolve(&args.collection.roots, reading)?;
    // The other collection is read by what its own settings file says, unless one was named.
    let against = args.against.as_ref().map(std::slice::from_ref);
    let other = against.map(|root| CollectionConfig::resolve(root, reading)).transpose()?;
    for output in [&args.pairs, &args.sheet].into_iter().flatten() {
        for config in [Some(&config), other.as_ref()].into_iter().flatten() {
            config.refuse_inside(output)?;
        }
    }
    refuse_same("--pairs", args.pairs.as_deref(), "--sheet", args.sheet.as_deref())?;
    // A place that cannot be written fails before the long work, not after it.
    let table = args.pairs.as_deref().map(NewFile::create).transpose()?;
    let sheet = args.sheet.as_deref().map(NewFile::create).transpose()?;

    let limits = config.read_limits();
    let mut measured = vec![collection::measure(&config, &args.catalog, progress)?];
    if let Some(other) = &other {
        let kept = CatalogArgs { catalog: None, ..args.catalog.clone() };
        measured.push(collection::measure(other, &kept, progress)?);
    }
    for ((catalog, _), config) in measured.iter().zip([Some(&config), other.as_ref()]) {
        if let (None, Some(config)) = (catalog.images().next(), config) {
            return Err(collection::without_images(config, &catalog.collection));
        }
    }
    let collections: Vec<CollectionRef<'_>> = measured
        .iter()
        .map(|(catalog, store)| CollectionRef { catalog, store: store.as_ref(), limits: &limits })
        .collect();
    let request = Request {
        reach: args.reach.map(Into::into),
        within: match args.within {
            _ if other.is_some() => duplicates::Within::Across,
            Within::All => duplicates::Within::All,
            Within::Class => duplicates::Within::Class,
            Within::Split => duplicates::Within::Split,
        },
        kinds: args.kinds.clone(),
    };
    let found = duplicates::find(&collections, &request, progress)?;
    progress.end();
    let answer = Duplicates {
        against: args.against.as_ref(),
        within: args.within.name(),
        kinds: &args.kinds,
        all: args.all,
        has_sheet: args.sheet.is_some(),
        config: &config,
        collections: &collections,
        found: &found,
    };
    if let Some(sheet) = sheet {
        let rows = present::duplicates::rows(&answer);
        let rows = sheet_images::fill(rows, &collections, progress)?;
        let title = present::duplicates::title(&answer);
        sheet.write(&sheet::png(&sheet::paint_rows(&title, &rows)))?;
    }
    if let Some(table) = table {
        table.write(&present::duplicates::pairs(&answer))?;
    }
    Ok(Answer::done(Output::of_table(&answer, args.format)))
}
