//! `measure`: one part of a collection.

use sieve_core::catalog::{self, Options};
use sieve_core::catalog_table::{PartHead, TableFormat, TableRequest, write};
use sieve_core::objects::is_bucket;

use super::{Answer, Output, collection, store};
use crate::args::MeasureArgs;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::scale::MeasuredPart;
use crate::progress::TerminalProgress;
use crate::writing::NewFile;

/// Answers `measure`.
pub fn run(args: &MeasureArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let mut config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    if args.listing.is_some() && !config.roots.iter().all(|root| is_bucket(&root.path)) {
        return Err(Failure::call("--listing is for buckets".to_owned())
            .hint("Folders are listed in seconds; omit it."));
    }
    config.listing.clone_from(&args.listing);
    config.refuse_inside(&args.to)?;
    let format = TableFormat::of_name(&args.to).and_then(|format| match format {
        TableFormat::Csv => Err("parts are Parquet or JSON Lines".to_owned()),
        format => Ok(format),
    });
    let format = format.map_err(|why| {
        Failure::call(format!("a part cannot be written to {}: {why}", args.to.display()))
    })?;
    let file = NewFile::create(&args.to)?;
    let mut store = store::open_for(&config, &args.catalog, Some(args.part))?;
    let mut listed = collection::open_with(&config, store.as_ref(), &args.catalog, progress)?;
    let all = listed.entries.len();
    listed.entries.retain(|entry| args.part.holds(&entry.path));
    let limits = config.read_limits();
    let options = Options { limits, recheck: args.catalog.recheck };
    let measured = catalog::measure(listed, &options, store.as_mut(), progress)?;
    progress.end();
    let head = PartHead::new(args.part, &options.limits);
    let request =
        TableRequest { format, part: Some(&head), with_thumbnails: true, limits: &options.limits };
    let written =
        file.write_with(|into| write(into, &measured, store.as_ref(), &request, progress))?;
    progress.end();
    let answer = MeasuredPart {
        config: &config,
        part: args.part,
        all,
        listed: measured.records.len(),
        written,
        to: &args.to,
    };
    Ok(Answer::done(Output::of(&answer, args.format)))
}
