//! Archives, read in place: nothing is unpacked to disk.

#[cfg(feature = "arrow")]
mod arrow;
mod frames;
#[cfg(feature = "parquet")]
mod parquet;
#[cfg(any(feature = "parquet", feature = "arrow"))]
mod row_columns;
#[cfg(any(feature = "parquet", feature = "arrow"))]
mod rows;
mod shared;
mod stream;
mod tar;
mod zip;

pub(super) use frames::Frames;
#[cfg(any(feature = "parquet", feature = "arrow"))]
pub(super) use rows::RowImages;
pub(super) use stream::Compression;
pub(super) use tar::{TakesEntries, Tar};
pub(super) use zip::Zip;

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};

use crate::files::{RelPath, native_of_bytes};

/// What kind of archive a file is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    Zip,
    /// Packed as a whole, or plain.
    Tar(Option<Compression>),
}

/// Tells from its first bytes whether a file is an archive.
pub(super) fn kind(file: &Path) -> std::io::Result<Option<Kind>> {
    let mut start = Vec::new();
    File::open(file)?.take(512).read_to_end(&mut start)?;
    // Signatures: APPNOTE 4.3.7 and 4.3.16, RFC 1952, RFC 8878; POSIX ustar at byte 257.
    Ok(if start.starts_with(b"PK\x03\x04") || start.starts_with(b"PK\x05\x06") {
        Some(Kind::Zip)
    } else if start.starts_with(b"\x1f\x8b") {
        Some(Kind::Tar(Some(Compression::Gzip)))
    } else if start.starts_with(b"\x28\xb5\x2f\xfd") {
        Some(Kind::Tar(Some(Compression::Zstandard)))
    } else if start.get(257..262) == Some(b"ustar") || is_empty_tar(file, &start) {
        Some(Kind::Tar(None))
    } else {
        None
    })
}

/// Whether a file begins as a tar archive without entries does: with zeros. Its name must say that it is one.
fn is_empty_tar(file: &Path, start: &[u8]) -> bool {
    let is_named_so = file.extension().is_some_and(|extension| extension == "tar");
    is_named_so && start.len() == 512 && start.iter().all(|&byte| byte == 0)
}

/// The path of an entry below the root; `Err` with the reason, and the path as it is shown, when
/// unpacking it could write elsewhere.
fn entry_path(name: &[u8]) -> Result<RelPath, (RelPath, &'static str)> {
    let native = native_of_bytes(name);
    let refused = |why| Err((RelPath::new(&native), why));
    if name.contains(&0) {
        return refused("the path contains a NUL character");
    }
    let mut clean = PathBuf::new();
    for part in native.components() {
        match part {
            std::path::Component::Normal(name) => clean.push(name),
            std::path::Component::CurDir => {}
            std::path::Component::ParentDir => return refused("the path contains .."),
            _ => return refused("the path is absolute"),
        }
    }
    // The root of a drive, as programs for Windows write it.
    let first = name.split(|byte| b"/\\".contains(byte)).next().unwrap_or_default();
    if matches!(first, [letter, b':'] if letter.is_ascii_alphabetic()) {
        return refused("the path is absolute");
    }
    if clean.as_os_str().is_empty() {
        return refused("the path is empty");
    }
    Ok(RelPath::new(&clean))
}
