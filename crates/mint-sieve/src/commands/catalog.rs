//! `catalog`: what was measured, as a table.

use sieve_core::catalog_table::{TableFormat, TableRequest, write};

use super::{Answer, Output, collection};
use crate::args::{CatalogAction, CatalogCommandArgs, CatalogExportArgs};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::scale::Exported;
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `catalog`.
pub fn run(args: &CatalogCommandArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    match &args.action {
        CatalogAction::Export(args) => export(args, progress),
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
