//! `gather`: images from anywhere in one folder per class.

use sieve_core::repair::{Edit, SplitsBecome, gathered};

use super::skipping::refuse_skipped;
use super::{Answer, Output, collection};
use crate::args::{GatherArgs, SplitFoldersBecome};
use crate::config::CollectionConfig;
use crate::failure::{Exit, Failure};
use crate::present::repair::gathered::GatherReport;
use crate::present::sheet;
use crate::progress::TerminalProgress;
use crate::writing::{Link, NewFolder, Placed, Tree};

/// Answers `gather`.
pub fn run(args: &GatherArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    config.refuse_inside(&args.to)?;
    let folder = (!args.dry_run).then(|| NewFolder::create(&args.to)).transpose()?;
    let (catalog, store) = collection::measure(&config, &args.catalog, progress)?;
    let splits = match args.split_folders {
        SplitFoldersBecome::Keep => SplitsBecome::Kept,
        SplitFoldersBecome::Merge => SplitsBecome::Merged,
    };
    let mut gathered = gathered(&catalog, splits);
    refuse_skipped(args.strict, &catalog, &gathered.skipped)?;
    if gathered.placed.is_empty() {
        return Err(collection::without_images(&config, &catalog.collection));
    }
    if let Some(folder) = folder {
        let files = gathered.placed.iter().map(|(at, place)| {
            let record = &catalog.records[*at];
            let digest = record.image().map(|measured| measured.digest);
            Placed { record, digest, place: place.clone(), edit: Edit::AsIs }
        });
        let files: Vec<Placed<'_>> = files.collect();
        let tree = Tree {
            collection: &catalog.collection,
            limits: config.read_limits(),
            link: args.link,
            png: sheet::png,
        };
        let skipped = tree.write(&files, &[], folder.root(), progress)?;
        let skipped: Vec<(usize, String)> =
            skipped.into_iter().map(|(at, why)| (gathered.placed[at].0, why)).collect();
        refuse_skipped(args.strict, &catalog, &skipped)?;
        folder.keep()?;
        if args.link == Link::Hard {
            let records = files.iter().map(|file| file.record);
            let limits = config.read_limits();
            collection::keep_linked(store.as_ref(), &catalog.collection, records, &limits);
        }
        gathered.placed.retain(|(at, _)| skipped.iter().all(|(other, _)| other != at));
        gathered.skipped.extend(skipped);
    }
    progress.end();
    let report = GatherReport {
        to: &args.to,
        keeps_splits: args.split_folders == SplitFoldersBecome::Keep,
        is_dry_run: args.dry_run,
        config: &config,
        catalog: &catalog,
        gathered: &gathered,
    };
    let output = Output::of(&report, args.format);
    let exit = if gathered.skipped.is_empty() { Exit::Done } else { Exit::Finding };
    Ok(Answer { output, exit })
}
