//! Opening and measuring the collection that a command names.

use std::path::{Path, PathBuf};

use sieve_core::catalog::{self, Catalog, Options};
use sieve_core::collection::{self, ArchiveIndexCache, Collection, NoCache, Root};
use sieve_core::duplicates::{self, CollectionRef, DuplicateReport};
use sieve_core::files::shown_name;
use sieve_core::reading::ReadLimits;
use sieve_core::record::Record;
use sieve_core::store::Store;
use sieve_core::{Error, suggest};

use super::store;
use crate::args::{CatalogArgs, Reach};
use crate::config::CollectionConfig;
use crate::console::warn;
use crate::failure::Failure;
use crate::present::{command_line, command_on};
use crate::progress::TerminalProgress;

/// Lists the collection. What `archive_indexes` knows of an archive is not read again.
pub fn open(
    config: &CollectionConfig,
    archive_indexes: &dyn ArchiveIndexCache,
    progress: &TerminalProgress,
) -> Result<Collection, Failure> {
    let unnamed = config.roots.iter().filter(|root| root.split.is_none()).count();
    if config.roots.len() > 1 && unnamed > 0 {
        let message = "several collections at once must each be named as a split".to_owned();
        return Err(Failure::call(message).hint("For example: train=FOLDER test=FOLDER"));
    }
    refuse_repeated(&config.roots)?;
    refuse_columns_of_folders(config)?;
    refuse_images_of_folders(config)?;
    let request = config.request();
    let mut collection =
        collection::open(&request, archive_indexes, progress).map_err(explained)?;
    if let Some(table) = &config.splits_from {
        collection.split_by_table(table, &request.options.columns)?;
    }
    Ok(collection)
}

/// Refuses a root that is named twice: its images would count double.
fn refuse_repeated(roots: &[Root]) -> Result<(), Failure> {
    let mut known: Vec<PathBuf> = Vec::new();
    for root in roots {
        // What is not there is reported when it is opened.
        let Ok(path) = root.path.canonicalize() else { continue };
        if known.contains(&path) {
            return Err(Failure::call(format!("{} is named twice", root.path.display()))
                .hint("Each root is a separate split; name it once."));
        }
        known.push(path);
    }
    Ok(())
}

/// Refuses names of columns where there is no table they could be of.
fn refuse_columns_of_folders(config: &CollectionConfig) -> Result<(), Failure> {
    let is_folder = |root: &Root| root.path.is_dir();
    if config.columns.is_none() || config.splits_from.is_some() {
        return Ok(());
    }
    match config.roots.iter().find(|root| is_folder(root)) {
        Some(root) if config.roots.iter().all(is_folder) => Err(Failure::call(format!(
            "--columns names the columns of a table, but {} is a folder",
            root.path.display()
        ))
        .hint("Name the table itself instead of the folder.")),
        _ => Ok(()),
    }
}

/// Refuses a folder for the files of a table where there is no table.
fn refuse_images_of_folders(config: &CollectionConfig) -> Result<(), Failure> {
    let folder = config.roots.iter().find(|root| root.path.is_dir());
    match (&config.images, folder) {
        (Some(_), Some(root)) => Err(Failure::call(format!(
            "--images gives the folder of a table's files, but {} is a folder",
            root.path.display()
        ))
        .hint("Name the table instead of the folder, or omit --images.")),
        _ => Ok(()),
    }
}

/// Lists a collection without measuring it; what the catalog knows of its archives is used.
pub fn listed(
    config: &CollectionConfig,
    kept: &CatalogArgs,
    progress: &TerminalProgress,
) -> Result<Collection, Failure> {
    let store = store::open(config, kept)?;
    open(config, archive_indexes(store.as_ref(), kept), progress)
}

/// Lists a collection with what a catalog that is open knows of its archives.
pub fn open_with(
    config: &CollectionConfig,
    store: Option<&Store>,
    kept: &CatalogArgs,
    progress: &TerminalProgress,
) -> Result<Collection, Failure> {
    open(config, archive_indexes(store, kept), progress)
}

fn archive_indexes<'a>(store: Option<&'a Store>, kept: &CatalogArgs) -> &'a dyn ArchiveIndexCache {
    match store {
        Some(store) if !kept.recheck => store,
        _ => &NoCache,
    }
}

/// Lists, reads and measures the collection, and hands the store back that keeps what was measured. What is known of
/// the collection from an earlier run is not read again.
pub fn measure(
    config: &CollectionConfig,
    kept: &CatalogArgs,
    progress: &TerminalProgress,
) -> Result<(Catalog, Option<Store>), Failure> {
    let mut store = store::open(config, kept)?;
    let collection = open(config, archive_indexes(store.as_ref(), kept), progress)?;
    let options = Options { limits: config.read_limits(), recheck: kept.recheck };
    let catalog = catalog::measure(collection, &options, store.as_mut(), progress)?;
    progress.end();
    if let Some(file) = &catalog.cache.set_aside {
        store::tell_damaged(file);
    }
    if let Some(reason) = &catalog.cache.write_error {
        warn(&format!(
            "some measurements cannot be cached ({reason}); the next run will read those files again"
        ));
    }
    Ok((catalog, store))
}

/// Measures the collection, looks for copies in it, and hands both on.
pub fn search<T>(
    config: &CollectionConfig,
    kept: &CatalogArgs,
    reach: Option<Reach>,
    progress: &TerminalProgress,
    answer: impl FnOnce(&Catalog, &DuplicateReport<'_>) -> Result<T, Failure>,
) -> Result<T, Failure> {
    let measured = measure(config, kept, progress)?;
    search_in(config, &measured, reach, progress, answer)
}

/// The same in a collection that is measured already.
pub fn search_in<T>(
    config: &CollectionConfig,
    (catalog, store): &(Catalog, Option<Store>),
    reach: Option<Reach>,
    progress: &TerminalProgress,
    answer: impl FnOnce(&Catalog, &DuplicateReport<'_>) -> Result<T, Failure>,
) -> Result<T, Failure> {
    let limits = config.read_limits();
    let side = [CollectionRef { catalog, store: store.as_ref(), limits: &limits }];
    let request = duplicates::Request { reach: reach.map(Into::into), ..Default::default() };
    let found = duplicates::find(&side, &request, progress)?;
    progress.end();
    answer(catalog, &found)
}

/// Keeps what is known of files that hard links were made to: the link has changed the time of their inodes, and nothing
/// else.
pub fn keep_linked<'a>(
    store: Option<&Store>,
    collection: &Collection,
    records: impl Iterator<Item = &'a Record>,
    limits: &ReadLimits,
) {
    let Some(store) = store else { return };
    let linked = records.filter_map(|record| {
        let file = collection.file(record.located())?;
        let (now, then) = (file.stamp().ok()?, record.at.stamp());
        let is_same = now.size_bytes == then.size_bytes && now.modified_ns == then.modified_ns;
        (is_same && now != then).then_some((record, now))
    });
    store.restamp(linked, limits);
}

/// The failure of a collection that gives nothing to work on.
pub fn without_images(config: &CollectionConfig, collection: &Collection) -> Failure {
    let words = command_on(config, "audit", &[]);
    Failure::input(format!("{} contains no readable images in class folders", collection.name()))
        .hint(format!("To see how each file was classified: {}", command_line(&words)))
}

/// The failure of opening a collection, with what to try instead.
fn explained(error: Error) -> Failure {
    let hint = hint(&error);
    let is_call = matches!(error, Error::NoSplitFolder { .. });
    let failure = Failure::from(error);
    let failure = if is_call { Failure::call(failure.message) } else { failure };
    match hint {
        Some(hint) => failure.hint(hint),
        None => failure,
    }
}

fn hint(error: &Error) -> Option<String> {
    match error {
        Error::RootMissing { path } => {
            let name = shown_name(path.file_name()?);
            let parent = path.parent().filter(|parent| !parent.as_os_str().is_empty());
            let folders = folders_in(parent.unwrap_or(Path::new(".")));
            let near = suggest::word(&name, folders.iter().map(String::as_str))?;
            let near = parent.map_or(near.into(), |parent| parent.join(near));
            Some(format!("Did you mean {}?", near.display()))
        }
        Error::NoColumn { needed, .. } => Some(format!(
            "If other columns hold the paths and {needed} names: --columns path=NAME,{needed}=NAME"
        )),
        Error::NoSplitFolder { name, there } => {
            let near = suggest::word(name, there.iter().map(String::as_str))?;
            Some(format!("Did you mean {near}?"))
        }
        _ => None,
    }
}

fn folders_in(folder: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries.map(|entry| shown_name(&entry.file_name())).collect();
    names.sort();
    names
}
