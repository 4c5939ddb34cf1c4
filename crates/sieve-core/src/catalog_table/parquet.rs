//! Parquet: rows in groups, each column with its own type.

use std::fs::File;
use std::io::{self, BufWriter};
use std::sync::Arc;

use parquet::basic::Compression;
use parquet::column::reader::{ColumnReader, ColumnReaderImpl};
use parquet::data_type::{ByteArray, ByteArrayType, DataType, DoubleType, Int64Type};
use parquet::errors::ParquetError;
use parquet::file::metadata::KeyValue;
use parquet::file::properties::WriterProperties;
use parquet::file::reader::{FileReader, SerializedFileReader};
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::parser::parse_message_type;
use rusqlite::types::Value;

use super::columns::{ColumnKind, TableColumn};
use super::part::PartHead;
use super::rows::{TableWriter, Take};
use crate::reading::caught;

/// Rows of a group: with thumbnails 23 MB.
const GROUP_ROWS: usize = 8192;
/// Rows that are read at a time.
const READ_ROWS: usize = 1024;
/// The name of what a part says of itself, beside the schema.
const HEAD: &str = "mint_sieve_part";

/// A table under way.
pub struct ParquetTable {
    file: SerializedFileWriter<BufWriter<File>>,
    columns: Vec<TableColumn>,
    waiting: Vec<Vec<Value>>,
}

impl ParquetTable {
    /// A table without rows.
    pub fn new(
        into: BufWriter<File>,
        columns: Vec<TableColumn>,
        head: Option<&PartHead>,
    ) -> io::Result<Self> {
        let line = |column: &TableColumn| {
            let presence = if column.is_optional { "optional" } else { "required" };
            let kind = match column.kind {
                ColumnKind::Integer => "int64",
                ColumnKind::Real => "double",
                ColumnKind::Text | ColumnKind::Bytes => "binary",
            };
            let text = if column.kind == ColumnKind::Text { " (STRING)" } else { "" };
            format!("{presence} {kind} {}{text};", column.name)
        };
        let lines: String = columns.iter().map(line).collect();
        let schema = parse_message_type(&format!("message files {{ {lines} }}"));
        let head = head.map(serde_json::to_string).transpose()?;
        let words = head.map(|head| vec![KeyValue::new(HEAD.to_owned(), head)]);
        let properties = WriterProperties::builder()
            .set_compression(Compression::SNAPPY)
            .set_created_by("mint-sieve".to_owned())
            .set_key_value_metadata(words)
            .build();
        let schema = Arc::new(schema.map_err(failed)?);
        let file = SerializedFileWriter::new(into, schema, Arc::new(properties)).map_err(failed)?;
        Ok(ParquetTable { file, columns, waiting: Vec::new() })
    }

    fn write_group(&mut self) -> io::Result<()> {
        if self.waiting.is_empty() {
            return Ok(());
        }
        let rows = std::mem::take(&mut self.waiting);
        let mut group = self.file.next_row_group().map_err(failed)?;
        for (at, column) in self.columns.iter().enumerate() {
            let cells = rows.iter().map(|row| &row[at]);
            let defined = |row: &Vec<Value>| i16::from(row[at] != Value::Null);
            let levels: Option<Vec<i16>> =
                column.is_optional.then(|| rows.iter().map(defined).collect());
            match column.kind {
                ColumnKind::Integer => {
                    let values: Vec<i64> = cells.filter_map(integer).collect();
                    put::<Int64Type>(&mut group, &values, levels.as_deref())?;
                }
                ColumnKind::Real => {
                    let values: Vec<f64> = cells.filter_map(real).collect();
                    put::<DoubleType>(&mut group, &values, levels.as_deref())?;
                }
                ColumnKind::Text | ColumnKind::Bytes => {
                    let values: Vec<ByteArray> = cells.filter_map(bytes).collect();
                    put::<ByteArrayType>(&mut group, &values, levels.as_deref())?;
                }
            }
        }
        group.close().map(drop).map_err(failed)
    }
}

impl TableWriter for ParquetTable {
    fn row(&mut self, cells: Vec<Value>) -> io::Result<()> {
        self.waiting.push(cells);
        if self.waiting.len() < GROUP_ROWS { Ok(()) } else { self.write_group() }
    }

    fn finish(mut self: Box<Self>) -> io::Result<()> {
        self.write_group()?;
        io::Write::flush(&mut self.file.into_inner().map_err(failed)?)
    }
}

fn put<T: DataType>(
    group: &mut SerializedRowGroupWriter<'_, BufWriter<File>>,
    values: &[T::T],
    levels: Option<&[i16]>,
) -> io::Result<()> {
    let column = group.next_column().map_err(failed)?;
    let mut column = column.ok_or(io::ErrorKind::InvalidData)?;
    column.typed::<T>().write_batch(values, levels, None).map_err(failed)?;
    column.close().map_err(failed)
}

fn integer(cell: &Value) -> Option<i64> {
    if let Value::Integer(number) = cell { Some(*number) } else { None }
}

fn real(cell: &Value) -> Option<f64> {
    if let Value::Real(number) = cell { Some(*number) } else { None }
}

fn bytes(cell: &Value) -> Option<ByteArray> {
    match cell {
        Value::Text(text) => Some(text.as_bytes().to_vec().into()),
        Value::Blob(bytes) => Some(bytes.clone().into()),
        _ => None,
    }
}

fn failed(error: ParquetError) -> io::Error {
    io::Error::other(error)
}

/// Hands over the rows of a part.
pub fn read(file: File, columns: &[TableColumn], take: &mut Take<'_>) -> Result<PartHead, String> {
    let part = || {
        let reader = SerializedFileReader::new(file).map_err(|error| error.to_string())?;
        let facts = reader.metadata().file_metadata();
        let words = facts.key_value_metadata().into_iter().flatten();
        let head = words.filter(|word| word.key == HEAD).find_map(|word| word.value.as_deref());
        let head: PartHead = head
            .and_then(|head| serde_json::from_str(head).ok())
            .ok_or("it is not a part of a catalog")?;
        rows(&reader, columns, false, &mut |cells| take(&head, cells))?;
        Ok(head)
    };
    caught(part).unwrap_or_else(|| Err("its data is damaged".to_owned()))
}

/// Hands over these columns of the rows of a table; empty cells for optional ones that are not there.
pub fn read_columns(
    file: File,
    columns: &[TableColumn],
    take: &mut dyn FnMut(Vec<Value>) -> Result<(), String>,
) -> Result<(), String> {
    let table = || {
        let reader = SerializedFileReader::new(file).map_err(|error| error.to_string())?;
        rows(&reader, columns, true, take)
    };
    caught(table).unwrap_or_else(|| Err("its data is damaged".to_owned()))
}

fn rows(
    reader: &SerializedFileReader<File>,
    columns: &[TableColumn],
    may_lack: bool,
    take: &mut dyn FnMut(Vec<Value>) -> Result<(), String>,
) -> Result<(), String> {
    let wrong = |error: ParquetError| error.to_string();
    let schema = reader.metadata().file_metadata().schema_descr();
    let place = |column: &TableColumn| {
        let is_it = |at: &usize| {
            let there = schema.column(*at);
            there.path().parts() == [column.name] && there.max_rep_level() == 0
        };
        match (0..schema.num_columns()).find(is_it) {
            None if may_lack && column.is_optional => Ok(None),
            None => Err(format!("it has no column {}", column.name)),
            place => Ok(place),
        }
    };
    let places: Vec<Option<usize>> = columns.iter().map(place).collect::<Result<_, _>>()?;
    for group in 0..reader.num_row_groups() {
        let group = reader.get_row_group(group).map_err(wrong)?;
        let mut readers = Vec::new();
        for &place in &places {
            let reader = place.map(|place| group.get_column_reader(place));
            readers.push(reader.transpose().map_err(wrong)?);
        }
        loop {
            let mut cells: Vec<Option<std::vec::IntoIter<Value>>> = Vec::new();
            for (column, reader) in columns.iter().zip(&mut readers) {
                let batch = reader.as_mut().map(|reader| batch(column, reader));
                cells.push(batch.transpose()?.map(Vec::into_iter));
            }
            let rows = cells.iter().flatten().map(|cells| cells.len()).max().unwrap_or(0);
            if cells.iter().flatten().any(|cells| cells.len() != rows) {
                return Err("its columns have different lengths".to_owned());
            }
            if rows == 0 {
                break;
            }
            for _ in 0..rows {
                let next = |cells: &mut Option<std::vec::IntoIter<Value>>| {
                    cells.as_mut().map_or(Value::Null, |cells| cells.next().expect("as many"))
                };
                take(cells.iter_mut().map(next).collect())?;
            }
        }
    }
    Ok(())
}

/// The next cells of a column; none behind the last.
fn batch(column: &TableColumn, reader: &mut ColumnReader) -> Result<Vec<Value>, String> {
    let text = |bytes: ByteArray| {
        let text = bytes.as_utf8().map(str::to_owned);
        text.map(Value::Text).map_err(|_| format!("{} is not UTF-8", column.name))
    };
    match (column.kind, reader) {
        (ColumnKind::Integer, ColumnReader::Int64ColumnReader(reader)) => {
            values(reader, |number| Ok(Value::Integer(number)))
        }
        (ColumnKind::Real, ColumnReader::DoubleColumnReader(reader)) => {
            values(reader, |number| Ok(Value::Real(number)))
        }
        (ColumnKind::Text, ColumnReader::ByteArrayColumnReader(reader)) => values(reader, text),
        (ColumnKind::Bytes, ColumnReader::ByteArrayColumnReader(reader)) => {
            values(reader, |bytes| Ok(Value::Blob(bytes.data().to_vec())))
        }
        _ => Err(format!("its column {} is of another type", column.name)),
    }
}

fn values<T: DataType>(
    reader: &mut ColumnReaderImpl<T>,
    cell: impl Fn(T::T) -> Result<Value, String>,
) -> Result<Vec<Value>, String> {
    let (mut found, mut levels) = (Vec::new(), Vec::new());
    let read = reader.read_records(READ_ROWS, Some(&mut levels), None, &mut found);
    let (rows, _, _) = read.map_err(|error| error.to_string())?;
    let mut found = found.into_iter();
    (0..rows)
        .map(|at| match levels.get(at) {
            Some(0) => Ok(Value::Null),
            _ => cell(found.next().ok_or("its levels and values differ")?),
        })
        .collect()
}
