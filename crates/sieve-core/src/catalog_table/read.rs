//! Reading parts.

use std::fs::File;
use std::io::{BufReader, Read};
use std::path::Path;

use rusqlite::types::Value;

use super::columns::{ColumnKind, TableColumn, columns};
use super::part::PartHead;
use super::rows::Take;
use super::{format::TableFormat, json_lines};
use crate::bounded_read::is_file;
use crate::csv_escape::unguarded;
use crate::{io_reason, parquet_table};

/// Hands over the rows of a part, one cell for each column, and returns its head.
pub(super) fn read(file: &Path, take: &mut Take<'_>) -> Result<PartHead, String> {
    if !is_file(file) {
        return Err("it is not a file".to_owned());
    }
    let open = || File::open(file).map_err(|error| io_reason(&error));
    match TableFormat::of_name(file)? {
        TableFormat::JsonLines => json_lines::read(BufReader::new(open()?), &columns(), take),
        TableFormat::Csv => Err("parts are Parquet or JSON Lines".to_owned()),
        #[cfg(feature = "parquet")]
        TableFormat::Parquet => super::parquet::read(open()?, &columns(), take),
        #[cfg(not(feature = "parquet"))]
        TableFormat::Parquet => Err("this build reads no Parquet".to_owned()),
    }
}

/// Hands over the cells of these columns of text, row by row, of a table of any size: Parquet, JSON Lines or CSV. A cell is
/// empty where an optional column is not there.
///
/// # Errors
///
/// What is wrong with the table, or what `take` says, as the end of a sentence.
pub(crate) fn text_cells(
    file: &Path,
    names: &[(&'static str, bool)],
    take: &mut dyn FnMut(&[&str]) -> Result<(), String>,
) -> Result<(), String> {
    if !file.is_file() {
        return Err("it is not a file".to_owned());
    }
    let open = || File::open(file).map_err(|error| io_reason(&error));
    let mut start = [0u8; 4];
    let known = open()?.read(&mut start).map_err(|error| io_reason(&error))?;
    let column = |&(name, is_optional): &(&'static str, bool)| TableColumn {
        name,
        kind: ColumnKind::Text,
        is_optional,
        is_internal: false,
    };
    let columns: Vec<TableColumn> = names.iter().map(column).collect();
    let mut of_values = |cells: Vec<Value>| {
        fn text(cell: &Value) -> &str {
            if let Value::Text(text) = cell { text } else { "" }
        }
        let cells: Vec<&str> = cells.iter().map(text).collect();
        take(&cells)
    };
    if start[..known].starts_with(parquet_table::MAGIC) {
        #[cfg(feature = "parquet")]
        return super::parquet::read_columns(open()?, &columns, &mut of_values);
        #[cfg(not(feature = "parquet"))]
        return Err("this build reads no Parquet; build with --features parquet".to_owned());
    }
    if start[..known].starts_with(b"{") {
        return json_lines::read_columns(BufReader::new(open()?), &columns, &mut of_values);
    }
    let mut table = csv::ReaderBuilder::new().buffer_capacity(1 << 20).from_reader(open()?);
    let head = table.headers().map_err(|error| error.to_string())?.clone();
    let place = |&(name, is_optional): &(&'static str, bool)| {
        let place = head.iter().position(|there| there.trim_start_matches('\u{feff}') == name);
        if place.is_none() && !is_optional {
            Err(format!("it has no column {name}"))
        } else {
            Ok(place)
        }
    };
    let places: Vec<Option<usize>> = names.iter().map(place).collect::<Result<_, _>>()?;
    let mut row = csv::StringRecord::new();
    while table.read_record(&mut row).map_err(|error| error.to_string())? {
        let cell = |place: &Option<usize>| place.and_then(|at| row.get(at)).unwrap_or_default();
        let cells: Vec<&str> = places.iter().map(|place| unguarded(cell(place))).collect();
        take(&cells)?;
    }
    Ok(())
}
