//! Files of rows with images in them, Parquet or Arrow: a column `path`, and a column `image` with the bytes of files. They
//! are read in order.

use std::path::{Path, PathBuf};

use super::super::EntryKind;
use super::super::listing::{Found, Listing};
use super::row_columns::Take;
use super::{TakesEntries, entry_path};
use crate::files::{RelPath, Stamp};
use crate::reading::{ReadError, ReadLimits, caught};

/// Rows whose images are read at a time: they are in memory together.
const ROWS: usize = 16;
/// Rows of names that are read at a time.
const NAMES: usize = 4096;

/// A file of rows with images.
#[derive(Debug)]
pub(in crate::collection) struct RowImages {
    file: PathBuf,
    format: RowFormat,
    /// The places of its columns.
    columns: [usize; 2],
}

/// How rows are stored.
#[derive(Clone, Copy, Debug)]
enum RowFormat {
    #[cfg(feature = "parquet")]
    Parquet,
    #[cfg(feature = "arrow")]
    Arrow,
}

/// What is said of a file whose reader fails on it.
const DAMAGED: &str = "its data is damaged";

impl RowImages {
    /// Opens a file; none where it holds no images, but may be a table, or is of neither format.
    pub fn open(file: &Path) -> Result<Option<Self>, String> {
        let Some(format) = format_of(file) else { return Ok(None) };
        let columns = caught(|| match format {
            #[cfg(feature = "parquet")]
            RowFormat::Parquet => super::parquet::columns(file),
            #[cfg(feature = "arrow")]
            RowFormat::Arrow => super::arrow::columns(file),
        });
        let columns = columns.unwrap_or_else(|| Err(DAMAGED.to_owned()))?;
        Ok(columns.map(|columns| RowImages { file: file.to_owned(), format, columns }))
    }

    /// The images by their names. `stamp` is that of the file; how large an image is, is known when it is read.
    pub fn list(&self, stamp: Stamp) -> Result<Listing, String> {
        let stamp = Stamp { size_bytes: 0, ..stamp };
        let mut listing = Listing::default();
        let mut row = 0;
        self.each(self.columns[0], NAMES, &mut |name| {
            let (path, refused) = match name.map(entry_path) {
                Some(Ok(path)) => (path, None),
                Some(Err((path, why))) => (path, Some(why)),
                None => (RelPath::new(Path::new("")), Some("it has no path")),
            };
            let found = Found::file(path, stamp, row);
            let kind = refused.map(|why| EntryKind::Refused(why.into()));
            listing.files.push(Found { kind: kind.unwrap_or(found.kind), ..found });
            row += 1;
            true
        })?;
        Ok(listing.with_implied_folders().sorted())
    }

    /// Reads the images with these numbers, which are sorted, and hands each over.
    pub fn stream(&self, numbers: &[u64], limits: &ReadLimits, into: &mut dyn TakesEntries) {
        let (mut row, mut at) = (0u64, 0);
        let read = self.each(self.columns[1], ROWS, &mut |image| {
            let is_wanted = numbers.get(at) == Some(&row);
            row += 1;
            if !is_wanted {
                return at < numbers.len();
            }
            let entry = match image {
                None => Err(ReadError::Empty),
                Some(bytes) => match limits.admit_file(bytes.len() as u64) {
                    Err(why) => Err(why),
                    Ok(()) => match into.room(bytes.len() as u64) {
                        Some(held) => Ok((bytes.to_vec(), held)),
                        None => return false,
                    },
                },
            };
            at += 1;
            into.take(at - 1, entry)
        });
        let failed = read.err().unwrap_or_else(|| "its rows end too early".to_owned());
        // What was not reached cannot be read.
        while at < numbers.len() && into.take(at, Err(ReadError::Unreadable(failed.clone()))) {
            at += 1;
        }
    }

    /// Hands the values of a column over, `rows` at a time.
    fn each(&self, column: usize, rows: usize, take: Take<'_>) -> Result<(), String> {
        let read = caught(|| match self.format {
            #[cfg(feature = "parquet")]
            RowFormat::Parquet => super::parquet::each(&self.file, column, rows, take),
            #[cfg(feature = "arrow")]
            RowFormat::Arrow => super::arrow::each(&self.file, column, rows, take),
        });
        read.unwrap_or_else(|| Err(DAMAGED.to_owned()))
    }
}

/// The format that a file begins as.
fn format_of(file: &Path) -> Option<RowFormat> {
    use std::io::Read;
    let mut start = [0u8; 6];
    std::fs::File::open(file).ok()?.read_exact(&mut start).ok()?;
    match &start {
        #[cfg(feature = "parquet")]
        start if start.starts_with(crate::parquet_table::MAGIC) => Some(RowFormat::Parquet),
        #[cfg(feature = "arrow")]
        b"ARROW1" => Some(RowFormat::Arrow),
        _ => None,
    }
}
