//! Changes within a folder: written down before they are made, so that they can be continued, and undone.

mod journal;
mod line;
mod moves;
mod prepare;
mod steps;
#[cfg(test)]
mod tests;
mod undo;

pub use journal::{FILE, Journal, Place, Reading, State, discard, find, locked};
pub use moves::carry_out;
pub use prepare::{Made, prepare};
pub use undo::{Restored, take_back};

use std::path::Path;

use sieve_core::files::{InsidePath, Root};
use sieve_core::io_reason;

use crate::failure::Failure;

/// The folder that holds the collection at `root`, which is a resolved path, and the name of the collection in it.
pub fn base_of(root: &Path) -> Result<(Root, InsidePath), Failure> {
    let base = super::parent(root);
    let opened = Root::open(base).map_err(|error| {
        Failure::input(format!("cannot read {}: {}", base.display(), io_reason(&error)))
    })?;
    let name = InsidePath::of_name(root.file_name().unwrap_or_default()).map_err(|why| {
        Failure::call(format!("{} cannot be changed in place: {why}", root.display()))
    })?;
    Ok((opened, name))
}
