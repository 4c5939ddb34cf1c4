//! JSON Lines: the head of a part in the first line, then an object for each file. Empty cells are left out.

use std::io::{self, BufRead, Read, Write};

use rusqlite::types::Value;
use serde_json::{Map, Value as Json};

use super::columns::{ColumnKind, TableColumn};
use super::hexadecimal;
use super::part::PartHead;
use super::rows::{TableWriter, Take};

/// Bytes of a line, at most: paths have kilobytes, thumbnails six.
const MOST_LINE_BYTES: u64 = 1 << 20;

/// A table under way.
pub struct JsonLinesTable<W> {
    into: W,
    columns: Vec<TableColumn>,
}

impl<W: Write> JsonLinesTable<W> {
    /// A table without rows.
    pub fn new(
        mut into: W,
        columns: Vec<TableColumn>,
        head: Option<&PartHead>,
    ) -> io::Result<Self> {
        if let Some(head) = head {
            serde_json::to_writer(&mut into, head)?;
            into.write_all(b"\n")?;
        }
        Ok(JsonLinesTable { into, columns })
    }
}

impl<W: Write> TableWriter for JsonLinesTable<W> {
    fn row(&mut self, cells: Vec<Value>) -> io::Result<()> {
        let mut row = Map::new();
        for (column, cell) in self.columns.iter().zip(cells) {
            let value = match cell {
                Value::Null => continue,
                Value::Integer(number) => number.into(),
                Value::Real(number) => number.into(),
                Value::Text(text) => text.into(),
                Value::Blob(bytes) => hexadecimal::digits(&bytes).into(),
            };
            row.insert(column.name.to_owned(), value);
        }
        serde_json::to_writer(&mut self.into, &row)?;
        self.into.write_all(b"\n")
    }

    fn finish(mut self: Box<Self>) -> io::Result<()> {
        self.into.flush()
    }
}

/// Hands over the rows of a part.
pub fn read(
    mut from: impl BufRead,
    columns: &[TableColumn],
    take: &mut Take<'_>,
) -> Result<PartHead, String> {
    let first = line(&mut from)?.unwrap_or_default();
    let head: PartHead =
        serde_json::from_slice(&first).map_err(|_| "it is not a part of a catalog")?;
    rows(from, 1, columns, &mut |cells| take(&head, cells))?;
    Ok(head)
}

/// Hands over these columns of the rows of a table.
pub fn read_columns(
    from: impl BufRead,
    columns: &[TableColumn],
    take: &mut dyn FnMut(Vec<Value>) -> Result<(), String>,
) -> Result<(), String> {
    rows(from, 0, columns, take)
}

fn rows(
    mut from: impl BufRead,
    mut number: u64,
    columns: &[TableColumn],
    take: &mut dyn FnMut(Vec<Value>) -> Result<(), String>,
) -> Result<(), String> {
    while let Some(bytes) = line(&mut from)? {
        number += 1;
        let row: Map<String, Json> =
            serde_json::from_slice(&bytes).map_err(|_| format!("line {number} is not a row"))?;
        let cell = |column: &TableColumn| cell(column, row.get(column.name));
        let cells: Option<Vec<Value>> = columns.iter().map(cell).collect();
        take(cells.ok_or_else(|| format!("line {number} has a wrong cell"))?)?;
    }
    Ok(())
}

fn cell(column: &TableColumn, json: Option<&Json>) -> Option<Value> {
    let Some(json) = json.filter(|json| !json.is_null()) else {
        return column.is_optional.then_some(Value::Null);
    };
    Some(match column.kind {
        ColumnKind::Integer => Value::Integer(json.as_i64()?),
        ColumnKind::Real => Value::Real(json.as_f64()?),
        ColumnKind::Text => Value::Text(json.as_str()?.to_owned()),
        ColumnKind::Bytes => Value::Blob(hexadecimal::bytes(json.as_str()?)?),
    })
}

/// The next line without its end; none behind the last.
fn line(from: &mut impl BufRead) -> Result<Option<Vec<u8>>, String> {
    let mut bytes = Vec::new();
    let read = from.by_ref().take(MOST_LINE_BYTES).read_until(b'\n', &mut bytes);
    match read.map_err(|error| crate::io_reason(&error))? {
        0 => Ok(None),
        read if read as u64 == MOST_LINE_BYTES => Err("a line is longer than 1 MiB".to_owned()),
        _ => Ok(Some(bytes)),
    }
}
