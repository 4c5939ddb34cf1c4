//! `nearest`: the images that are most like one.

use std::fs::File;

use sieve_core::duplicates::{self, CollectionRef};
use sieve_core::measuring;
use sieve_core::reading::{self, ReadError};

use super::{Answer, Output, collection, sheet_images, vectors};
use crate::args::NearestArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::{self, nearest::Nearest, sheet};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `nearest`.
pub fn run(args: &NearestArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    if let Some(output) = &args.sheet {
        config.refuse_inside(output)?;
    }
    let sheet = args.sheet.as_deref().map(NewFile::create).transpose()?;
    let limits = config.read_limits();
    let shown = args.image.display();
    let refused = |why: ReadError| Failure::input(format!("{shown} cannot be compared: {why}"));
    let bytes = reading::bytes_of(&|| File::open(&args.image), &limits).map_err(refused)?;
    let image = measuring::measure(&bytes.bytes, &limits).map_err(refused)?;

    let (catalog, store) = collection::measure(&config, &args.catalog, progress)?;
    if catalog.images().next().is_none() {
        return Err(collection::without_images(&config, &catalog.collection));
    }
    let side = CollectionRef { catalog: &catalog, store: store.as_ref(), limits: &limits };
    let (records, measured): (Vec<_>, Vec<_>) = catalog.images().unzip();
    let paths: Vec<_> = records.iter().map(|record| &record.path).collect();
    let same = measured.iter().position(|other| other.digest == image.0.digest);
    let similarity = vectors::similarities(&args.vectors, &args.image, same, &paths)?;
    let count = args.count as usize;
    let found =
        duplicates::nearest(&side, &image, &bytes.bytes, similarity.as_deref(), count, progress)?;
    progress.end();
    let answer = Nearest {
        file: &args.image,
        count: args.count,
        vectors: args.vectors.vectors.as_deref(),
        has_sheet: sheet.is_some(),
        config: &config,
        catalog: &catalog,
        image: &image.0,
        found: &found,
    };
    if let Some(sheet) = sheet {
        let mut rows = present::nearest::rows(&answer);
        let requested = reading::decode(&bytes.bytes, &limits).map_err(refused)?;
        rows[0].tiles[0].pixels = Some(sheet::fitted(&requested.pixels));
        let rows = sheet_images::fill(rows, std::slice::from_ref(&side), progress)?;
        sheet.write(&sheet::png(&sheet::paint_rows(&present::nearest::title(&answer), &rows)))?;
    }
    Ok(Answer::done(Output::of_table(&answer, args.format)))
}
