//! The table of predictions as it stands in its file: CSV, JSON Lines or Parquet.

use std::collections::BTreeMap;
use std::path::Path;

use crate::bounded_read::{MOST_TABLE_BYTES, read_text};
use crate::parquet_table;
use crate::separated;

/// Columns of a table, at most: more classes than any model tells apart.
const MOST_COLUMNS: usize = 100_000;

/// Rows of cells below a head.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PredictionTable {
    /// The names of the columns.
    pub head: Vec<String>,
    /// One cell for each column; empty where a row has none.
    pub rows: Vec<Vec<String>>,
}

impl PredictionTable {
    /// Reads a file: Parquet and JSON Lines by their names (`.parquet`, `.jsonl`, `.ndjson`), everything else as CSV.
    ///
    /// # Errors
    ///
    /// What is wrong with the file, as the end of a sentence.
    pub fn read(file: &Path) -> Result<Self, String> {
        let name = file.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
        let table = if name.ends_with(".parquet") {
            let bytes = parquet_table::to_csv(file, MOST_TABLE_BYTES)?;
            Self::of_csv(separated::text_of(&bytes)?)?
        } else {
            let text = read_text(file, MOST_TABLE_BYTES)?;
            match name.ends_with(".jsonl") || name.ends_with(".ndjson") {
                true => Self::of_json_lines(&text)?,
                false => Self::of_csv(separated::text_of(text.as_bytes())?)?,
            }
        };
        match () {
            () if table.rows.is_empty() => Err("it has no rows".to_owned()),
            () if table.head.len() > MOST_COLUMNS => {
                Err(format!("it has more than {MOST_COLUMNS} columns"))
            }
            () => Ok(table),
        }
    }

    fn of_csv(text: &str) -> Result<Self, String> {
        let mut table = PredictionTable::default();
        for row in separated::reader(text).records() {
            let row = row.map_err(|error| error.to_string())?;
            let mut cells: Vec<String> = row.iter().map(str::to_owned).collect();
            let is_empty = cells.iter().all(|cell| cell.trim().is_empty());
            if is_empty || cells[0].trim_start().starts_with(separated::COMMENT) {
                continue;
            }
            if table.head.is_empty() {
                table.head = cells;
                continue;
            }
            if cells.len() > table.head.len() {
                let line = row.position().map_or(0, csv::Position::line);
                return Err(format!("line {line} has more cells than the head"));
            }
            cells.resize(table.head.len(), String::new());
            table.rows.push(cells);
        }
        Ok(table)
    }

    fn of_json_lines(text: &str) -> Result<Self, String> {
        let mut table = PredictionTable::default();
        let mut places: BTreeMap<String, usize> = BTreeMap::new();
        for (number, line) in (1..).zip(text.lines()) {
            if line.trim().is_empty() {
                continue;
            }
            let object: serde_json::Map<String, serde_json::Value> = serde_json::from_str(line)
                .map_err(|_| format!("line {number} is not a JSON object"))?;
            let mut cells = vec![String::new(); table.head.len()];
            for (name, value) in object {
                let cell = match value {
                    serde_json::Value::String(text) => text,
                    serde_json::Value::Null => String::new(),
                    serde_json::Value::Number(number) => number.to_string(),
                    _ => return Err(format!("line {number}: {name:?} is no text or number")),
                };
                let place = *places.entry(name.clone()).or_insert_with(|| {
                    table.head.push(name);
                    table.head.len() - 1
                });
                if cells.len() <= place {
                    cells.resize(place + 1, String::new());
                }
                cells[place] = cell;
            }
            table.rows.push(cells);
        }
        let width = table.head.len();
        table.rows.iter_mut().for_each(|row| row.resize(width, String::new()));
        Ok(table)
    }

    /// The place of a column, whatever space stands around its name.
    pub fn column(&self, name: &str) -> Option<usize> {
        self.head.iter().position(|column| column.trim() == name)
    }
}
