//! `catalog`: what was measured, as a table.

use sieve_core::catalog_table::{TableFormat, TableRequest, write};
use sieve_core::objects::write_listing;
use sieve_core::progress::Progress;
use sieve_core::splitting::{DigestTable, Parts, assign_by_digest};

use super::split::{explained, wrong_parts};
use super::{Answer, Output, collection};
use crate::args::{
    CatalogAction, CatalogCommandArgs, CatalogExportArgs, CatalogListingArgs, CatalogSplitArgs,
};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::object_storage;
use crate::present::scale::{Exported, ListedBucket, SplitOfTable};
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `catalog`.
pub fn run(args: &CatalogCommandArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    match &args.action {
        CatalogAction::Export(args) => export(args, progress),
        CatalogAction::Split(args) => split_table(args, progress),
        CatalogAction::Listing(args) => list(args, progress),
    }
}

fn export(args: &CatalogExportArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    config.refuse_inside(&args.to)?;
    let format = TableFormat::of_name(&args.to).map_err(|why| {
        Failure::call(format!("a table cannot be written to {}: {why}", args.to.display()))
    })?;
    let file = NewFile::create(&args.to)?;
    let (catalog, store) = collection::measure(&config, &args.catalog, progress)?;
    if catalog.images().next().is_none() {
        return Err(collection::without_images(&config, &catalog.collection));
    }
    let limits = config.read_limits();
    let request =
        TableRequest { format, part: None, with_thumbnails: args.thumbnails, limits: &limits };
    let written =
        file.write_with(|into| write(into, &catalog, store.as_ref(), &request, progress))?;
    progress.end();
    let answer = Exported { config: &config, written, thumbnails: args.thumbnails, to: &args.to };
    Ok(Answer::done(Output::of(&answer, args.format)))
}

fn split_table(args: &CatalogSplitArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let parts: Parts = match &args.parts {
        Some(text) => text.parse().map_err(|error| wrong_parts(text, &error))?,
        None => Parts::default(),
    };
    let file = NewFile::create(&args.out)?;
    progress.begin("reading the table", None);
    let table = DigestTable::read(&args.table).map_err(|why| {
        Failure::input(format!("the table {} cannot be used: {why}", args.table.display()))
    })?;
    progress.begin("dividing", None);
    let assignment =
        assign_by_digest(&table, &parts, args.count_per.into(), args.seed).map_err(explained)?;
    if assignment.classes.is_empty() {
        let why = format!("the table {} has no row with a class", args.table.display());
        return Err(Failure::input(why));
    }
    progress.begin("writing the table", None);
    file.write_with(|into| assignment.write(&table, parts.names(), into))?;
    progress.end();
    let answer = SplitOfTable {
        table: &args.table,
        rows: table.len() as u64,
        parts: parts.names(),
        seed: args.seed,
        all: args.all,
        assignment: &assignment,
        out: &args.out,
    };
    Ok(Answer::done(Output::of(&answer, args.format)))
}

fn list(args: &CatalogListingArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let failed = |why: String| Failure::input(format!("{} cannot be listed: {why}", args.bucket));
    let access = args.access.access();
    let no_buckets = "this build reads no object storage; build with --features bucket";
    let stores = object_storage::stores(&access).ok_or_else(|| failed(no_buckets.to_owned()))?;
    let (store, prefix) = stores.open(&args.bucket).map_err(failed)?;
    let file = NewFile::create(&args.to)?;
    progress.begin("listing objects", None);
    let objects = file
        .write_with(|into| write_listing(store.as_ref(), &prefix, std::io::BufWriter::new(into)))?;
    progress.end();
    let answer = ListedBucket { bucket: &args.bucket, objects, access: &access, to: &args.to };
    Ok(Answer::done(Output::of(&answer, args.format)))
}
