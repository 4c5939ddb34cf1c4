//! Columns of a Parquet file.

use std::fs::File;
use std::path::Path;

use parquet::column::reader::ColumnReader;
use parquet::errors::ParquetError;
use parquet::file::reader::{FileReader, SerializedFileReader};
use parquet::schema::types::ColumnDescPtr;

use super::row_columns::{COLUMNS, Take};
use crate::io_reason;

/// The places of the columns of images; none where the file does not have both.
pub fn columns(file: &Path) -> Result<Option<[usize; 2]>, String> {
    let reader = reader(file)?;
    let schema = reader.metadata().file_metadata().schema_descr();
    let place = |name: &str| {
        let is_flat =
            |column: &ColumnDescPtr| column.path().parts() == [name] && column.max_rep_level() == 0;
        schema.columns().iter().position(is_flat)
    };
    let [path, image] = COLUMNS.map(place);
    Ok(path.zip(image).map(|(path, image)| [path, image]))
}

/// Hands the values of a column of bytes over, `rows` at a time.
pub fn each(file: &Path, column: usize, rows: usize, take: Take<'_>) -> Result<(), String> {
    let wrong = |error: ParquetError| error.to_string();
    let reader = reader(file)?;
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
                let value = if is_there { present.next() } else { None };
                if !take(value.map(|value| value.data())) {
                    return Ok(());
                }
            }
        }
    }
    Ok(())
}

fn reader(file: &Path) -> Result<SerializedFileReader<File>, String> {
    let opened = File::open(file).map_err(|error| io_reason(&error))?;
    SerializedFileReader::new(opened).map_err(|error| error.to_string())
}
