//! WRITING: files and folders that appear whole or not at all, and never over something else.

mod attributes;
mod file;
mod folder;
pub mod in_place;
mod staging;
mod tree;

pub use file::NewFile;
pub use folder::NewFolder;
pub use tree::{Link, Placed, Tree};

use std::path::{Path, PathBuf};

use sieve_core::files::InsidePath;
use sieve_core::objects::is_bucket;

use crate::failure::Failure;

/// Refuses an output inside of the collection it is made from: a collection is only read.
pub fn refuse_inside(collection: &Path, output: &Path) -> Result<(), Failure> {
    let is_inside = match is_bucket(collection) {
        // By parts: herbs-2 is not inside of herbs.
        true => output.starts_with(collection),
        false => match collection.canonicalize() {
            Ok(root) => nearest_existing(output).starts_with(root),
            Err(_) => false,
        },
    };
    if is_inside {
        let (output, root) = (output.display(), collection.display());
        let message =
            format!("{output} is inside the collection {root}, which must not be changed");
        return Err(Failure::call(message).hint("Choose a place outside it."));
    }
    Ok(())
}

/// The name that an output gets in its folder.
fn output_name(path: &Path) -> Result<InsidePath, Failure> {
    let name = path.file_name().unwrap_or_default();
    InsidePath::of_name(name).map_err(|why| {
        Failure::call(format!("{:?} cannot be the name of an output: {why}", path.display()))
    })
}

/// The nearest folder above `path` that exists, links resolved.
fn nearest_existing(path: &Path) -> PathBuf {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
    let existing = absolute.ancestors().find_map(|folder| folder.canonicalize().ok());
    existing.unwrap_or(absolute)
}

/// The folder that holds `path`.
pub fn parent(path: &Path) -> &Path {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}
