//! Parquet: the columns of a manifest, and the bytes of images beside them.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::sync::Arc;

use parquet::basic::Compression;
use parquet::data_type::{ByteArray, ByteArrayType, DataType, Int32Type, Int64Type};
use parquet::errors::ParquetError;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::parser::parse_message_type;
use parquet::schema::types::ColumnPath;
use sieve_core::pack::PackedImage;

use super::rows::RowFile;

/// The columns of a manifest.
const MANIFEST: &str = "required binary path (STRING);
    required binary class (STRING);
    required int64 class_index;
    required int32 width_px;
    required int32 height_px;
    required int64 size_bytes;
    required binary sha256 (STRING);
    required binary group (STRING);";
/// The column of the images themselves.
const IMAGE: &str = "required binary image;";

/// A Parquet file of images.
pub struct ParquetFile(SerializedFileWriter<BufWriter<File>>);

impl ParquetFile {
    /// A file without rows.
    pub fn new(file: BufWriter<File>) -> io::Result<Self> {
        Ok(ParquetFile(writer(file, true)?))
    }
}

impl RowFile for ParquetFile {
    fn write(&mut self, rows: &[PackedImage], images: Vec<Vec<u8>>) -> io::Result<()> {
        let mut group = self.0.next_row_group().map_err(failed)?;
        write_rows(&mut group, rows)?;
        let images: Vec<ByteArray> = images.into_iter().map(ByteArray::from).collect();
        write::<ByteArrayType>(&mut group, &images)?;
        group.close().map_err(failed)?;
        Ok(())
    }

    fn finish(self: Box<Self>) -> io::Result<()> {
        self.0.into_inner().map_err(failed)?.flush()
    }
}

/// A manifest as a file of its own.
pub fn manifest(images: &[PackedImage]) -> io::Result<Vec<u8>> {
    let mut file = writer(Vec::new(), false)?;
    let mut group = file.next_row_group().map_err(failed)?;
    write_rows(&mut group, images)?;
    group.close().map_err(failed)?;
    file.into_inner().map_err(failed)
}

fn writer<W: Write + Send>(into: W, with_images: bool) -> io::Result<SerializedFileWriter<W>> {
    let image = if with_images { IMAGE } else { "" };
    let schema = parse_message_type(&format!("message images {{ {MANIFEST} {image} }}"));
    // Images are compressed already, and nobody searches for one by its first bytes.
    let images = ColumnPath::from("image");
    let properties = WriterProperties::builder()
        .set_compression(Compression::SNAPPY)
        .set_column_compression(images.clone(), Compression::UNCOMPRESSED)
        .set_column_dictionary_enabled(images.clone(), false)
        .set_column_statistics_enabled(images, parquet::file::properties::EnabledStatistics::None)
        .set_created_by("mint-sieve".to_owned())
        .build();
    SerializedFileWriter::new(into, Arc::new(schema.map_err(failed)?), Arc::new(properties))
        .map_err(failed)
}

/// Writes the columns of a manifest.
fn write_rows<W: Write + Send>(
    group: &mut SerializedRowGroupWriter<'_, W>,
    rows: &[PackedImage],
) -> io::Result<()> {
    let text = |of: &dyn Fn(&PackedImage) -> String| -> Vec<ByteArray> {
        rows.iter().map(|row| ByteArray::from(of(row).into_bytes())).collect()
    };
    let small = |of: &dyn Fn(&PackedImage) -> u32| -> Vec<i32> {
        rows.iter().map(|row| i32::try_from(of(row)).unwrap_or(i32::MAX)).collect()
    };
    let large = |of: &dyn Fn(&PackedImage) -> u64| -> Vec<i64> {
        rows.iter().map(|row| i64::try_from(of(row)).unwrap_or(i64::MAX)).collect()
    };
    write::<ByteArrayType>(group, &text(&|row| row.path.clone()))?;
    write::<ByteArrayType>(group, &text(&|row| row.class.clone()))?;
    write::<Int64Type>(group, &large(&|row| row.class_index as u64))?;
    write::<Int32Type>(group, &small(&|row| row.width_px))?;
    write::<Int32Type>(group, &small(&|row| row.height_px))?;
    write::<Int64Type>(group, &large(&|row| row.size_bytes))?;
    write::<ByteArrayType>(group, &text(&|row| row.sha256.to_string()))?;
    write::<ByteArrayType>(group, &text(&|row| row.group.clone()))
}

/// Writes the next column.
fn write<T: DataType>(
    group: &mut SerializedRowGroupWriter<'_, impl Write + Send>,
    values: &[T::T],
) -> io::Result<()> {
    let column = group.next_column().map_err(failed)?;
    let mut column = column.ok_or(io::ErrorKind::InvalidData)?;
    column.typed::<T>().write_batch(values, None, None).map_err(failed)?;
    column.close().map_err(failed)
}

fn failed(error: ParquetError) -> io::Error {
    match error {
        ParquetError::External(inner) => match inner.downcast::<io::Error>() {
            Ok(error) => *error,
            Err(other) => io::Error::other(other),
        },
        other => io::Error::other(other),
    }
}
