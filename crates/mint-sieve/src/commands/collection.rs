//! Opening and measuring the collection that a command names.

use std::path::Path;

use sieve_core::catalog::{self, Catalog};
use sieve_core::collection::{self, Collection, WalkOptions, shown_name};
use sieve_core::reading::ReadLimits;
use sieve_core::{Error, nearest};

use crate::args::CollectionArgs;
use crate::failure::Failure;
use crate::present::command_line;
use crate::progress::Progress;

/// The limits that the arguments set.
pub fn read_limits(args: &CollectionArgs) -> ReadLimits {
    let pixels = args.max_megapixels.saturating_mul(1_000_000);
    ReadLimits { pixels, ..ReadLimits::default() }
}

/// Lists the collection.
pub fn open(args: &CollectionArgs, progress: &Progress) -> Result<Collection, Failure> {
    let options = WalkOptions { follow_links: args.follow_links };
    collection::open(&args.root, &options, progress).map_err(explained)
}

/// Lists, reads and measures the collection.
pub fn measure(args: &CollectionArgs, progress: &Progress) -> Result<Catalog, Failure> {
    let collection = open(args, progress)?;
    Ok(catalog::measure(collection, &read_limits(args), progress)?)
}

/// The failure of a collection that gives nothing to work on.
pub fn without_pictures(root: &Path) -> Failure {
    let audit = command_line(&["mint-sieve", "audit", &root.to_string_lossy()]);
    Failure::input(format!("{} holds no readable picture in a class folder", root.display()))
        .hint(format!("See what each file is taken for: {audit}"))
}

/// The failure of opening a collection, with what to try instead.
fn explained(error: Error) -> Failure {
    let hint = hint(&error);
    let failure = Failure::from(error);
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
            let near = nearest::word(&name, folders.iter().map(String::as_str))?;
            let near = parent.map_or(near.into(), |parent| parent.join(near));
            Some(format!("Did you mean {}?", near.display()))
        }
        Error::RootNotAFolder { .. } => {
            Some("Expected the folder that holds the class folders; unpack archives first.".into())
        }
        _ => None,
    }
}

fn folders_in(folder: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries
        .filter(|entry| entry.path().is_dir())
        .map(|entry| shown_name(&entry.file_name()))
        .collect();
    names.sort();
    names
}
