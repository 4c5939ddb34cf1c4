//! Columns of an Arrow IPC file.

use std::fs::File;
use std::io::BufReader;
use std::path::Path;

use arrow_array::{Array, BinaryArray, LargeBinaryArray, LargeStringArray, StringArray};
use arrow_ipc::reader::FileReader;
use arrow_schema::ArrowError;

use super::row_columns::{COLUMNS, Take};
use crate::io_reason;

/// The places of the columns of images; none where the file does not have both.
pub fn columns(file: &Path) -> Result<Option<[usize; 2]>, String> {
    let schema = reader(file, None)?.schema();
    let [path, image] = COLUMNS.map(|name| schema.index_of(name).ok());
    Ok(path.zip(image).map(|(path, image)| [path, image]))
}

/// Hands the values of a column of text or bytes over. A batch is in memory at a time, however many `rows` are wanted.
pub fn each(file: &Path, column: usize, _rows: usize, take: Take<'_>) -> Result<(), String> {
    for batch in reader(file, Some(vec![column]))? {
        let batch = batch.map_err(|error: ArrowError| error.to_string())?;
        let values = batch.column(0);
        for row in 0..values.len() {
            let value = match values.is_null(row) {
                true => None,
                false => Some(
                    bytes(values.as_ref(), row)
                        .ok_or_else(|| "its column of names or images holds no bytes".to_owned())?,
                ),
            };
            if !take(value) {
                return Ok(());
            }
        }
    }
    Ok(())
}

/// The bytes of a value; none of a column that holds something else.
fn bytes(values: &dyn Array, row: usize) -> Option<&[u8]> {
    let values = values.as_any();
    if let Some(values) = values.downcast_ref::<StringArray>() {
        return Some(values.value(row).as_bytes());
    }
    if let Some(values) = values.downcast_ref::<BinaryArray>() {
        return Some(values.value(row));
    }
    if let Some(values) = values.downcast_ref::<LargeStringArray>() {
        return Some(values.value(row).as_bytes());
    }
    values.downcast_ref::<LargeBinaryArray>().map(|values| values.value(row))
}

fn reader(file: &Path, columns: Option<Vec<usize>>) -> Result<FileReader<BufReader<File>>, String> {
    let opened = File::open(file).map_err(|error| io_reason(&error))?;
    FileReader::try_new_buffered(opened, columns).map_err(|error| error.to_string())
}
