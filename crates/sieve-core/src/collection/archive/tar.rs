//! Tar: plain archives are read at any place, packed ones from their beginning to their end.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use ::tar::{Archive, Entries, Entry, EntryType};

use super::entry_path;
use super::shared::SharedFile;
use super::stream::{Compression, unpacked};
use crate::collection::EntryKind;
use crate::collection::listing::{Found, Listing};
use crate::files::{RelPath, Stamp};
use crate::reading::{MemoryPermit, ReadError, ReadLimits};
use crate::{io_reason, progress::Progress};

/// Archives are made of blocks (POSIX ustar); an empty one follows the last entry.
const BLOCK_BYTES: u64 = 512;

/// A tar archive.
#[derive(Debug)]
pub(in crate::collection) struct Tar {
    path: PathBuf,
    content: Content,
}

/// How the bytes of an archive are come by.
#[derive(Debug)]
enum Content {
    Plain(SharedFile),
    Packed(Compression),
}

/// Takes the entries of a packed archive, one after the other.
pub(in crate::collection) trait TakesEntries {
    /// Memory for an entry of `size_bytes`; none when no more entries are wanted.
    fn room(&mut self, size_bytes: u64) -> Option<MemoryPermit>;
    /// Takes an entry with its place in the list of those wanted; false when no more are wanted.
    fn take(&mut self, at: usize, entry: Result<(Vec<u8>, MemoryPermit), ReadError>) -> bool;
}

impl Tar {
    /// Opens the archive in `path`.
    pub fn open(path: &Path, packing: Option<Compression>) -> io::Result<Self> {
        let content = match packing {
            None => Content::Plain(SharedFile::new(File::open(path)?)?),
            Some(packing) => Content::Packed(packing),
        };
        Ok(Tar { path: path.to_owned(), content })
    }

    /// True when entries can only be read one after the other.
    pub fn is_stream(&self) -> bool {
        matches!(self.content, Content::Packed(_))
    }

    /// What the archive holds; `Err` when it is no tar archive at all. `stamp` is that of the archive.
    pub fn list(&self, stamp: Stamp, progress: &dyn Progress) -> Result<Listing, String> {
        let failed = |error: io::Error| io_reason(&error);
        match &self.content {
            Content::Plain(file) => {
                let mut archive = Archive::new(file.clone());
                self.list_entries(archive.entries_with_seek().map_err(failed)?, stamp, progress)
            }
            Content::Packed(packing) => {
                let mut archive = Archive::new(self.unpacked(*packing).map_err(failed)?);
                self.list_entries(archive.entries().map_err(failed)?, stamp, progress)
            }
        }
    }

    fn list_entries(
        &self,
        entries: Entries<'_, impl Read>,
        stamp: Stamp,
        progress: &dyn Progress,
    ) -> Result<Listing, String> {
        let mut listing = Listing::default();
        let mut number = 0;
        let mut end = 0;
        for entry in entries {
            if progress.stopped() {
                break;
            }
            match entry {
                Ok(entry) => {
                    progress.advance(1);
                    end = entry.raw_file_position() + entry.size().next_multiple_of(BLOCK_BYTES);
                    self.add(&entry, number, stamp, &mut listing);
                    number += 1;
                }
                Err(error) if number == 0 => {
                    tracing::debug!(%error, "not a tar archive");
                    return Err("its content is not a tar archive".to_owned());
                }
                Err(error) => {
                    let reason =
                        format!("the rest of the archive cannot be read: {}", io_reason(&error));
                    listing.unlistable.push((named(&self.path), reason));
                    break;
                }
            }
        }
        // Packed archives have an end of their own, which the unpacking checks.
        if !self.is_stream()
            && stamp.size_bytes < end + BLOCK_BYTES
            && listing.unlistable.is_empty()
        {
            let reason = "the archive has no end marker: it may be truncated".to_owned();
            listing.unlistable.push((named(&self.path), reason));
        }
        Ok(listing.with_implied_folders().sorted())
    }

    fn add(&self, entry: &Entry<'_, impl Read>, number: u64, stamp: Stamp, listing: &mut Listing) {
        let kind = entry.header().entry_type();
        if matches!(kind, EntryType::XGlobalHeader) {
            return;
        }
        let is_root = matches!(&*entry.path_bytes(), b"." | b"./" | b"/");
        let (path, refused) = match entry_path(&entry.path_bytes()) {
            Ok(path) => (path, None),
            Err(_) if is_root && kind.is_dir() => return,
            Err((path, why)) => (path, Some(EntryKind::Refused(why.into()))),
        };
        let special = match kind {
            EntryType::Regular | EntryType::Continuous => None,
            EntryType::GNUSparse => {
                Some(EntryKind::Refused("it is stored in pieces (sparse)".into()))
            }
            EntryType::Directory if refused.is_none() => return listing.folders.push(path),
            EntryType::Symlink => Some(EntryKind::Refused("it is a symbolic link".into())),
            EntryType::Link => Some(EntryKind::Refused("it is a hard link".into())),
            _ => Some(EntryKind::Special),
        };
        // A packed archive is read in order, so the number of an entry is its place.
        let offset = if self.is_stream() { number } else { entry.raw_file_position() };
        let stamp = Stamp { size_bytes: entry.size(), ..stamp };
        let kind = refused.or(special).unwrap_or(EntryKind::File { stamp });
        listing.files.push(Found { path, kind, offset });
    }

    fn unpacked(&self, packing: Compression) -> io::Result<Box<dyn Read + Send>> {
        unpacked(File::open(&self.path)?, packing)
    }

    /// The bytes of the entry at an offset; none where entries can only be read in order.
    pub fn read(
        &self,
        offset: u64,
        size_bytes: u64,
        limits: &ReadLimits,
    ) -> Option<Result<(Vec<u8>, MemoryPermit), ReadError>> {
        let Content::Plain(file) = &self.content else { return None };
        let mut file = file.clone();
        Some(limits.admit_file(size_bytes).and_then(|()| {
            let held = limits.memory.file(size_bytes);
            let mut bytes = Vec::new();
            file.seek(SeekFrom::Start(offset))
                .and_then(|_| file.take(size_bytes).read_to_end(&mut bytes))
                .map_err(|error| ReadError::Unreadable(io_reason(&error)))?;
            Ok((bytes, held))
        }))
    }

    /// Reads the entries whose numbers are `wanted`, sorted, from a packed archive, and hands each
    /// with its place in `wanted` to `taker`, until that says to stop.
    pub fn stream(&self, wanted: &[u64], limits: &ReadLimits, taker: &mut dyn TakesEntries) {
        let Content::Packed(packing) = self.content else { return };
        let mut next = 0;
        let unreadable = |error: io::Error| ReadError::Unreadable(io_reason(&error));
        let mut run = || -> io::Result<()> {
            let mut archive = Archive::new(self.unpacked(packing)?);
            for (number, entry) in (0u64..).zip(archive.entries()?) {
                if next == wanted.len() {
                    break;
                }
                let mut entry = entry?;
                if wanted[next] != number {
                    continue;
                }
                let read = match limits.admit_file(entry.size()) {
                    Err(refused) => Err(refused),
                    Ok(()) => {
                        let Some(held) = taker.room(entry.size()) else {
                            next = wanted.len();
                            break;
                        };
                        let mut bytes = Vec::new();
                        entry.read_to_end(&mut bytes).map(|_| (bytes, held)).map_err(unreadable)
                    }
                };
                next += 1;
                if !taker.take(next - 1, read) {
                    next = wanted.len();
                }
            }
            Ok(())
        };
        let ended = run();
        let reason =
            ended.map_or_else(|error| io_reason(&error), |()| "no longer in the archive".into());
        for left in next..wanted.len() {
            if !taker.take(left, Err(ReadError::Unreadable(reason.clone()))) {
                break;
            }
        }
    }
}

/// The name of an archive, where the path of a folder is expected.
fn named(archive: &Path) -> RelPath {
    RelPath::new(Path::new(archive.file_name().unwrap_or_default()))
}
