//! A file's bytes, within the limits.

use std::fs::File;
use std::io::Read;
use std::time::SystemTime;

use super::memory::reserve;
use super::{MemoryPermit, ReadError, ReadLimits};
use crate::files::Stamp;
use crate::io_reason;

/// The whole content of one file.
#[derive(Debug)]
pub struct FileBytes {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// What tells that a later file is still this one; none where that could not be known, because
    /// the file changed while or just before it was read.
    pub stamp: Option<Stamp>,
    /// The memory that was taken for them.
    pub held: MemoryPermit,
}

/// Reads a whole file, which `open` opens, into memory, unless it is larger than the limits allow. One that grows while
/// it is read is read no further than one byte beyond; one that changes is read a second time.
///
/// # Errors
///
/// [`ReadError::Unreadable`] or [`ReadError::OverLimit`].
pub fn bytes_of(
    open: &dyn Fn() -> std::io::Result<File>,
    limits: &ReadLimits,
) -> Result<FileBytes, ReadError> {
    let first = read_once(open, limits)?;
    if first.stamp.is_some() {
        return Ok(first);
    }
    // Its memory must be free before more is asked for.
    drop(first);
    read_once(open, limits)
}

fn read_once(
    open: &dyn Fn() -> std::io::Result<File>,
    limits: &ReadLimits,
) -> Result<FileBytes, ReadError> {
    let unreadable = |error: std::io::Error| ReadError::Unreadable(io_reason(&error));
    let now = SystemTime::now();
    let mut opened = open().map_err(unreadable)?;
    let before = Stamp::from_metadata(&opened.metadata().map_err(unreadable)?);
    limits.admit_file(before.size_bytes)?;
    let held = limits.memory.file(before.size_bytes);
    let mut bytes = reserve(before.size_bytes as usize + 1)?;
    let at_most = limits.file_bytes.saturating_add(1);
    opened.by_ref().take(at_most).read_to_end(&mut bytes).map_err(unreadable)?;
    limits.admit_file(bytes.len() as u64)?;
    let after = Stamp::from_metadata(&opened.metadata().map_err(unreadable)?);
    let is_steady = before == after && after.size_bytes == bytes.len() as u64;
    let stamp = (is_steady && !after.is_fresh(now)).then_some(after);
    Ok(FileBytes { bytes, stamp, held })
}
