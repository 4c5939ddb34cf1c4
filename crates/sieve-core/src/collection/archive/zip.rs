//! ZIP: any entry can be read at any time, on any thread.

use std::fs::File;
use std::io::Read;
use std::path::Path;
use std::sync::Arc;

use ::zip::read::{ZipArchiveMetadata, ZipReadOptions};
use ::zip::result::ZipError;
use ::zip::{CompressionMethod, ZipArchive};

use super::entry_path;
use super::shared::SharedFile;
use crate::collection::listing::{Found, Listing};
use crate::collection::{EntryKind, Stamp};
use crate::io_reason;
use crate::reading::{ReadLimits, Trouble};

/// An open ZIP archive.
#[derive(Debug)]
pub(in crate::collection) struct Zip {
    file: SharedFile,
    directory: Arc<ZipArchiveMetadata>,
}

impl Zip {
    /// Opens the archive in `file`; `Err` says what is wrong with it.
    pub fn open(file: &Path) -> Result<Self, String> {
        let opened = File::open(file).and_then(SharedFile::new).map_err(|e| io_reason(&e))?;
        let archive = ZipArchive::new(opened.clone()).map_err(|error| match error {
            // The list of entries stands at the end.
            ZipError::InvalidArchive(_) => {
                "its list of entries is not there; the archive is cut short or damaged".to_owned()
            }
            error => reason(&error),
        })?;
        Ok(Zip { file: opened, directory: archive.metadata() })
    }

    /// What the archive holds. `stamp` is that of the archive.
    pub fn list(&self, stamp: Stamp) -> Listing {
        let mut listing = Listing::default();
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
            let refused = refused.or(entry.is_symlink().then_some("it is a symbolic link"));
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

    /// The bytes of the entry of an index.
    pub fn read(&self, index: u64, limits: &ReadLimits) -> Result<Vec<u8>, Trouble> {
        let unreadable = |error: ZipError| Trouble::Unreadable(reason(&error));
        let entry = self.directory.entry(index as usize).map_err(unreadable)?;
        if entry.encrypted() {
            return Err(Trouble::Unreadable("the archive holds it encrypted".into()));
        }
        if !matches!(entry.compression(), CompressionMethod::Stored | CompressionMethod::DEFLATE) {
            let method = entry.compression();
            return Err(Trouble::Unreadable(format!(
                "it is packed with {method}, which is not read"
            )));
        }
        limits.admit_file(entry.size())?;
        let size_bytes = entry.size() as usize;
        let mut file = self.file.clone();
        let reader = entry.with_reader(&mut file, ZipReadOptions::new()).map_err(unreadable)?;
        // A header may claim anything: memory is taken as the data comes.
        let mut bytes = Vec::with_capacity(size_bytes.min(1 << 24));
        reader.take(limits.file_bytes.saturating_add(1)).read_to_end(&mut bytes).map_err(
            |error| Trouble::Unreadable(format!("in the archive: {}", io_reason(&error))),
        )?;
        limits.admit_file(bytes.len() as u64)?;
        Ok(bytes)
    }
}

fn reason(error: &ZipError) -> String {
    match error {
        ZipError::Io(error) => io_reason(error),
        error => error.to_string(),
    }
}
