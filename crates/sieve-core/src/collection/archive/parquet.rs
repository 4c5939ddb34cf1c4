//! A Parquet file with images in it: a column `path`, and a column `image` with the bytes of files.

use std::fs::File;
use std::path::{Path, PathBuf};

use parquet::column::reader::ColumnReader;
use parquet::data_type::ByteArray;
use parquet::errors::ParquetError;
use parquet::file::reader::{FileReader, SerializedFileReader};

use super::super::EntryKind;
use super::super::listing::{Found, Listing};
use super::{TakesEntries, entry_path};
use crate::files::Stamp;
use crate::io_reason;
use crate::reading::{ReadError, ReadLimits, caught};

/// A Parquet file of images, which is read in order.
#[derive(Debug)]
pub(in crate::collection) struct ParquetImages {
    file: PathBuf,
    path: usize,
    image: usize,
}

/// The column that names images, and the one that holds them.
const COLUMNS: [&str; 2] = ["path", "image"];
/// Rows that are read at a time: their images are in memory together.
const ROWS: usize = 16;
/// Rows of names that are read at a time.
const NAMES: usize = 4096;

impl ParquetImages {
    /// Opens a file; none where it holds no images, but may be a table.
    pub fn open(file: &Path) -> Result<Option<Self>, String> {
        let opened = || -> Result<Option<Self>, String> {
            let reader = reader(file)?;
            let schema = reader.metadata().file_metadata().schema_descr();
            let place = |name: &str| {
                let is_flat = |column: &parquet::schema::types::ColumnDescPtr| {
                    column.path().parts() == [name] && column.max_rep_level() == 0
                };
                schema.columns().iter().position(is_flat)
            };
            let [path, image] = COLUMNS.map(place);
            let found = path.zip(image);
            Ok(found.map(|(path, image)| ParquetImages { file: file.to_owned(), path, image }))
        };
        caught(opened).unwrap_or_else(|| Err("its data is damaged".to_owned()))
    }

    /// The images by their names. `stamp` is that of the file; how large an image is, is known when it is read.
    pub fn list(&self, stamp: Stamp) -> Result<Listing, String> {
        let stamp = Stamp { size_bytes: 0, ..stamp };
        let mut listing = Listing::default();
        let mut row = 0;
        let named = caught(|| {
            self.each(self.path, NAMES, &mut |name| {
                let (path, refused) = match name.map(|name| entry_path(name.data())) {
                    Some(Ok(path)) => (path, None),
                    Some(Err((path, why))) => (path, Some(why)),
                    None => (crate::files::RelPath::new(Path::new("")), Some("it has no path")),
                };
                let found = Found::file(path, stamp, row);
                let kind = refused.map(|why| EntryKind::Refused(why.into()));
                listing.files.push(Found { kind: kind.unwrap_or(found.kind), ..found });
                row += 1;
                true
            })
        });
        named.unwrap_or_else(|| Err("its data is damaged".to_owned()))?;
        Ok(listing.with_implied_folders().sorted())
    }

    /// Reads the images with these numbers, which are sorted, and hands each over.
    pub fn stream(&self, numbers: &[u64], limits: &ReadLimits, into: &mut dyn TakesEntries) {
        let (mut row, mut at) = (0u64, 0);
        let read = caught(|| {
            self.each(self.image, ROWS, &mut |image| {
                let is_wanted = numbers.get(at) == Some(&row);
                row += 1;
                if !is_wanted {
                    return at < numbers.len();
                }
                let entry = match image {
                    None => Err(ReadError::Empty),
                    Some(image) => {
                        let bytes = image.data();
                        match limits.admit_file(bytes.len() as u64) {
                            Err(why) => Err(why),
                            Ok(()) => match into.room(bytes.len() as u64) {
                                Some(held) => Ok((bytes.to_vec(), held)),
                                None => return false,
                            },
                        }
                    }
                };
                at += 1;
                into.take(at - 1, entry)
            })
        });
        let failed = match read {
            Some(Ok(())) => "its rows end too early".to_owned(),
            Some(Err(why)) => why,
            None => "its data is damaged".to_owned(),
        };
        // What was not reached cannot be read.
        while at < numbers.len() && into.take(at, Err(ReadError::Unreadable(failed.clone()))) {
            at += 1;
        }
    }

    /// Hands the values of a column over one by one, none for a row without one, until `take` wants no more.
    fn each(
        &self,
        column: usize,
        rows: usize,
        take: &mut dyn FnMut(Option<&ByteArray>) -> bool,
    ) -> Result<(), String> {
        let wrong = |error: ParquetError| error.to_string();
        let reader = reader(&self.file)?;
        for group in 0..reader.num_row_groups() {
            let group = reader.get_row_group(group).map_err(wrong)?;
            let ColumnReader::ByteArrayColumnReader(mut values) =
                group.get_column_reader(column).map_err(wrong)?
            else {
                return Err("its column of names or images holds no bytes".to_owned());
            };
            let may_be_null = group.metadata().column(column).column_descr().max_def_level() > 0;
            loop {
                let (mut some, mut levels) = (Vec::new(), Vec::new());
                let defined = may_be_null.then_some(&mut levels);
                let (read, _, _) =
                    values.read_records(rows, defined, None, &mut some).map_err(wrong)?;
                if read == 0 {
                    break;
                }
                let mut present = some.iter();
                for at in 0..read {
                    let is_there = levels.get(at).is_none_or(|level| *level > 0);
                    if !take(if is_there { present.next() } else { None }) {
                        return Ok(());
                    }
                }
            }
        }
        Ok(())
    }
}

fn reader(file: &Path) -> Result<SerializedFileReader<File>, String> {
    let opened = File::open(file).map_err(|error| io_reason(&error))?;
    SerializedFileReader::new(opened).map_err(|error| error.to_string())
}
