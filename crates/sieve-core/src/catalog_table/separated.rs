//! Comma-separated values, as every other table of ours: names that a spreadsheet would calculate are guarded.

use std::io::{self, Write};

use rusqlite::types::Value;

use super::columns::TableColumn;
use super::hexadecimal;
use super::rows::TableWriter;
use crate::csv_escape::guarded;

/// A table under way.
pub struct SeparatedTable<W: Write> {
    table: csv::Writer<W>,
    cells: Vec<String>,
}

impl<W: Write> SeparatedTable<W> {
    /// A table without rows.
    pub fn new(into: W, columns: &[TableColumn]) -> io::Result<Self> {
        let mut table = csv::Writer::from_writer(into);
        table.write_record(columns.iter().map(|column| column.name))?;
        Ok(SeparatedTable { table, cells: Vec::new() })
    }
}

impl<W: Write> TableWriter for SeparatedTable<W> {
    fn row(&mut self, cells: Vec<Value>) -> io::Result<()> {
        self.cells.clear();
        self.cells.extend(cells.into_iter().map(|cell| match cell {
            Value::Null => String::new(),
            Value::Integer(number) => number.to_string(),
            Value::Real(number) => number.to_string(),
            Value::Text(text) => guarded(&text).into_owned(),
            Value::Blob(bytes) => hexadecimal::digits(&bytes),
        }));
        Ok(self.table.write_record(&self.cells)?)
    }

    fn finish(mut self: Box<Self>) -> io::Result<()> {
        self.table.flush()
    }
}
