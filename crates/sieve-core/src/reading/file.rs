//! A file's bytes, within the limits.

use std::fs::File;
use std::io::Read;
use std::path::Path;

use super::{ReadLimits, Trouble};
use crate::io_reason;

/// Reads a whole file into memory, unless it is larger than the limits allow. One that grows while
/// it is read is read no further than one byte beyond.
///
/// # Errors
///
/// [`Trouble::Unreadable`] or [`Trouble::OverLimit`].
pub fn bytes_of(file: &Path, limits: &ReadLimits) -> Result<Vec<u8>, Trouble> {
    let unreadable = |error: std::io::Error| Trouble::Unreadable(io_reason(&error));
    let opened = File::open(file).map_err(unreadable)?;
    let size_bytes = opened.metadata().map_err(unreadable)?.len();
    limits.admit_file(size_bytes)?;
    let mut bytes = Vec::new();
    bytes.reserve_exact(size_bytes as usize + 1);
    let at_most = limits.file_bytes.saturating_add(1);
    opened.take(at_most).read_to_end(&mut bytes).map_err(unreadable)?;
    limits.admit_file(bytes.len() as u64)?;
    Ok(bytes)
}
