//! ZIP: any entry can be read at any time, on any thread.

use std::collections::{HashMap, HashSet};
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::Arc;

use ::zip::read::{ZipArchiveMetadata, ZipReadOptions};
use ::zip::result::ZipError;
use ::zip::{CompressionMethod, ZipArchive};

use super::entry_path;
use super::shared::SharedFile;
use crate::collection::EntryKind;
use crate::collection::listing::{Found, Listing};
use crate::files::Stamp;
use crate::io_reason;
use crate::reading::{MemoryPermit, ReadError, ReadLimits};

/// An open ZIP archive.
#[derive(Debug)]
pub(in crate::collection) struct Zip {
    file: SharedFile,
    directory: Arc<ZipArchiveMetadata>,
    /// Where its list of entries begins.
    directory_start: u64,
}

impl Zip {
    /// Opens the archive in `file`; `Err` says what is wrong with it.
    pub fn open(file: &Path) -> Result<Self, String> {
        let opened = File::open(file).and_then(SharedFile::new).map_err(|e| io_reason(&e))?;
        let archive = ZipArchive::new(opened.clone()).map_err(|error| match error {
            // The list of entries stands at the end.
            ZipError::InvalidArchive(_) => {
                "its central directory is missing: the archive is truncated or damaged".to_owned()
            }
            error => reason(&error),
        })?;
        let directory_start = archive.central_directory_start();
        Ok(Zip { file: opened, directory: archive.metadata(), directory_start })
    }

    /// What the archive holds. `stamp` is that of the archive.
    pub fn list(&self, stamp: Stamp) -> Listing {
        let mut listing = Listing::default();
        let overlapping = self.overlapping();
        let times =
            if self.directory.has_duplicate_names() { self.times() } else { HashMap::new() };
        for index in 0..self.directory.len() {
            let Ok(entry) = self.directory.entry(index) else { continue };
            let is_folder = entry.is_dir();
            let name = match entry.name() {
                // Archives made on Windows by old programs part folders by `\`.
                Ok(name) if !name.contains('/') => name.replace('\\', "/").into_bytes(),
                Ok(name) => name.into_owned().into_bytes(),
                Err(_) => entry.name_raw().to_vec(),
            };
            let (path, refused) = match entry_path(&name) {
                Ok(path) => (path, None),
                Err((path, why)) => (path, Some(why)),
            };
            if let Some(&times) = times.get(entry.name_raw()).filter(|times| **times > 1) {
                listing.repeated.push((path.clone(), times));
            }
            let refused = refused.or(entry.is_symlink().then_some("it is a symbolic link"));
            let overlaps = overlapping.contains(&index);
            let refused =
                refused.or(overlaps.then_some("its bytes overlap those of another entry"));
            if let Some(why) = refused {
                let kind = EntryKind::Refused(why.into());
                listing.files.push(Found { path, kind, offset: 0 });
            } else if is_folder {
                listing.folders.push(path);
            } else {
                let stamp = Stamp { size_bytes: entry.size(), ..stamp };
                listing.files.push(Found::file(path, stamp, index as u64));
            }
        }
        listing.with_implied_folders().sorted()
    }

    /// The entries whose bytes begin inside of those of another one. No honest archive has any; a small file can
    /// claim any number of large images in this way.
    fn overlapping(&self) -> HashSet<usize> {
        /// A local header without name and extra field (APPNOTE 4.3.7).
        const HEADER_BYTES: u64 = 30;
        let entries = (0..self.directory.len()).filter_map(|index| {
            let entry = self.directory.entry(index).ok()?;
            let start = entry.header_start();
            let length = HEADER_BYTES.saturating_add(entry.compressed_size());
            Some((start, start.saturating_add(length), index))
        });
        let mut entries: Vec<(u64, u64, usize)> = entries.collect();
        entries.sort_unstable();
        let mut reached = 0;
        let inside = |&(start, end, index): &(u64, u64, usize)| {
            let is_inside = start < reached;
            reached = reached.max(end);
            is_inside.then_some(index)
        };
        entries.iter().filter_map(inside).collect()
    }

    /// How often each name stands in the list of entries, of which only the last of a name is otherwise known.
    fn times(&self) -> HashMap<Vec<u8>, u64> {
        /// A header of the list without what varies, and its signature (APPNOTE 4.3.12).
        const HEADER_BYTES: usize = 46;
        let mut times = HashMap::new();
        let mut file = self.file.clone();
        if file.seek(SeekFrom::Start(self.directory_start)).is_err() {
            return times;
        }
        let mut header = [0; HEADER_BYTES];
        while file.read_exact(&mut header).is_ok() && header.starts_with(b"PK\x01\x02") {
            let length = |at: usize| usize::from(u16::from_le_bytes([header[at], header[at + 1]]));
            let mut rest = vec![0; length(28) + length(30) + length(32)];
            if file.read_exact(&mut rest).is_err() {
                break;
            }
            rest.truncate(length(28));
            *times.entry(rest).or_default() += 1;
        }
        times
    }

    /// At most `most` bytes from the beginning of the entry of an index; none where they cannot be read.
    pub fn head(&self, index: u64, most: u64) -> Option<Vec<u8>> {
        let entry = self.directory.entry(index as usize).ok()?;
        let mut file = self.file.clone();
        let mut head = Vec::new();
        let reader = entry.with_reader(&mut file, ZipReadOptions::new()).ok()?;
        reader.take(most).read_to_end(&mut head).ok()?;
        Some(head)
    }

    /// The bytes of the entry of an index.
    pub fn read(
        &self,
        index: u64,
        limits: &ReadLimits,
    ) -> Result<(Vec<u8>, MemoryPermit), ReadError> {
        let unreadable = |error: ZipError| ReadError::Unreadable(reason(&error));
        let entry = self.directory.entry(index as usize).map_err(unreadable)?;
        if entry.encrypted() {
            return Err(ReadError::Unreadable("it is encrypted".into()));
        }
        if !matches!(entry.compression(), CompressionMethod::Stored | CompressionMethod::DEFLATE) {
            let method = entry.compression();
            return Err(ReadError::Unreadable(format!(
                "it is compressed with {method}, which is not supported"
            )));
        }
        limits.admit_file(entry.size())?;
        let size_bytes = entry.size() as usize;
        let held = limits.memory.file(entry.size());
        let mut file = self.file.clone();
        let reader = entry.with_reader(&mut file, ZipReadOptions::new()).map_err(unreadable)?;
        // A header may claim anything: memory is taken as the data comes.
        let mut bytes = Vec::with_capacity(size_bytes.min(1 << 24));
        reader.take(limits.file_bytes.saturating_add(1)).read_to_end(&mut bytes).map_err(
            |error| ReadError::Unreadable(format!("in the archive: {}", io_reason(&error))),
        )?;
        limits.admit_file(bytes.len() as u64)?;
        Ok((bytes, held))
    }
}

fn reason(error: &ZipError) -> String {
    match error {
        ZipError::Io(error) => io_reason(error),
        error => error.to_string(),
    }
}
