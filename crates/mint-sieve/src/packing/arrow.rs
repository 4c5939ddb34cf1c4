//! Arrow IPC files: the columns of a manifest, and the bytes of images beside them.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::sync::Arc;

use arrow_array::{ArrayRef, BinaryArray, Int32Array, Int64Array, RecordBatch, StringArray};
use arrow_ipc::writer::FileWriter;
use arrow_schema::{ArrowError, DataType, Field, Schema};
use sieve_core::pack::{MANIFEST_COLUMNS, PackedImage};

use super::rows::RowFile;

/// An Arrow file of images.
pub struct ArrowFile {
    schema: Arc<Schema>,
    file: FileWriter<BufWriter<File>>,
}

impl ArrowFile {
    /// A file without rows.
    pub fn new(file: BufWriter<File>) -> io::Result<Self> {
        let kinds = [
            DataType::Utf8,
            DataType::Utf8,
            DataType::Int64,
            DataType::Int32,
            DataType::Int32,
            DataType::Int64,
            DataType::Utf8,
            DataType::Utf8,
        ];
        let columns = MANIFEST_COLUMNS.into_iter().zip(kinds);
        let columns = columns.chain([("image", DataType::Binary)]);
        let fields: Vec<Field> =
            columns.map(|(name, kind)| Field::new(name, kind, false)).collect();
        let schema = Arc::new(Schema::new(fields));
        let file = FileWriter::try_new(file, &schema).map_err(failed)?;
        Ok(ArrowFile { schema, file })
    }
}

impl RowFile for ArrowFile {
    fn write(&mut self, rows: &[PackedImage], images: Vec<Vec<u8>>) -> io::Result<()> {
        let text = |of: fn(&PackedImage) -> &str| -> ArrayRef {
            Arc::new(StringArray::from_iter_values(rows.iter().map(of)))
        };
        let sums: Vec<String> = rows.iter().map(|row| row.sha256.to_string()).collect();
        let small = |of: fn(&PackedImage) -> u32| -> ArrayRef {
            let value = |row| i32::try_from(of(row)).unwrap_or(i32::MAX);
            Arc::new(Int32Array::from_iter_values(rows.iter().map(value)))
        };
        let large = |of: fn(&PackedImage) -> u64| -> ArrayRef {
            let value = |row| i64::try_from(of(row)).unwrap_or(i64::MAX);
            Arc::new(Int64Array::from_iter_values(rows.iter().map(value)))
        };
        let columns: Vec<ArrayRef> = vec![
            text(|row| &row.path),
            text(|row| &row.class),
            large(|row| row.class_index as u64),
            small(|row| row.width_px),
            small(|row| row.height_px),
            large(|row| row.size_bytes),
            Arc::new(StringArray::from_iter_values(&sums)),
            text(|row| &row.group),
            Arc::new(BinaryArray::from_iter_values(&images)),
        ];
        let batch = RecordBatch::try_new(Arc::clone(&self.schema), columns).map_err(failed)?;
        self.file.write(&batch).map_err(failed)
    }

    fn finish(mut self: Box<Self>) -> io::Result<()> {
        self.file.finish().map_err(failed)?;
        self.file.into_inner().map_err(failed)?.flush()
    }
}

fn failed(error: ArrowError) -> io::Error {
    match error {
        ArrowError::IoError(_, error) => error,
        other => io::Error::other(other),
    }
}
