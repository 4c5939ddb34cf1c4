//! Vectors as text: a path and numbers on each line.

use serde_json::Value;

use super::{MOST_LENGTH, MOST_VALUES};
use crate::bounded_read::echoed;
use crate::csv_escape::unguarded;
use crate::separated;

type Rows = (Vec<String>, Vec<Vec<f32>>);

/// CSV: a path and numbers in each row, with or without a head.
///
/// # Errors
///
/// What is wrong with it, as the end of a sentence.
pub fn csv(text: &str) -> Result<Rows, String> {
    let (mut paths, mut rows, mut count) = (Vec::new(), Vec::new(), 0u64);
    let mut reader = separated::reader(separated::text_of(text.as_bytes())?);
    for (at, record) in reader.records().enumerate() {
        let record = record.map_err(|error| error.to_string())?;
        let line = record.position().map_or(0, csv::Position::line);
        let mut cells = record.iter();
        let path = unguarded(cells.next().unwrap_or_default()).to_owned();
        let is_head = at == 0 && record.get(1).is_some_and(|cell| number(cell).is_none());
        if is_head || path.is_empty() && record.len() < 2 {
            continue;
        }
        let row: Result<Vec<f32>, String> = cells
            .map(|cell| {
                let wrong = || format!("line {line}: {:?} is not a number", echoed(cell));
                number(cell).ok_or_else(wrong)
            })
            .collect();
        keep(&mut rows, row?, &mut count, line)?;
        paths.push(path);
    }
    Ok((paths, rows))
}

fn number(cell: &str) -> Option<f32> {
    unguarded(cell.trim()).parse().ok()
}

/// JSON Lines: an object with a `path` and a list, or numbers; or a list that begins with the path.
///
/// # Errors
///
/// What is wrong with it, as the end of a sentence.
pub fn json_lines(text: &str) -> Result<Rows, String> {
    let (mut paths, mut rows, mut count) = (Vec::new(), Vec::new(), 0u64);
    for (at, line) in text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        let at = at as u64 + 1;
        let value: Value = serde_json::from_str(line)
            .map_err(|error| format!("line {at} is not valid JSON: {error}"))?;
        let no_path = || format!("line {at} has no path");
        let (path, values): (String, Vec<Value>) = match value {
            Value::Array(mut values) if !values.is_empty() => {
                let path = values.remove(0);
                (path.as_str().ok_or_else(no_path)?.to_owned(), flat(values))
            }
            Value::Object(fields) => {
                let path = fields.get("path").and_then(Value::as_str).ok_or_else(no_path)?;
                let others = fields.iter().filter(|(name, _)| *name != "path");
                (path.to_owned(), flat(others.map(|(_, value)| value.clone()).collect()))
            }
            _ => return Err(no_path()),
        };
        // What is no number is none: JSON has no other way to write it.
        let row = values.iter().map(|value| value.as_f64().map_or(f32::NAN, |value| value as f32));
        keep(&mut rows, row.collect(), &mut count, at)?;
        paths.push(path);
    }
    Ok((paths, rows))
}

/// Numbers, and the numbers of lists, in their order.
fn flat(values: Vec<Value>) -> Vec<Value> {
    let one = |value| match value {
        Value::Array(values) => values,
        value => vec![value],
    };
    values.into_iter().flat_map(one).collect()
}

fn keep(rows: &mut Vec<Vec<f32>>, row: Vec<f32>, count: &mut u64, line: u64) -> Result<(), String> {
    if row.is_empty() || row.len() > MOST_LENGTH {
        let length = row.len();
        return Err(format!(
            "line {line}: its vector has {length} numbers; expected 1 to {MOST_LENGTH}"
        ));
    }
    *count += row.len() as u64;
    if *count > MOST_VALUES {
        return Err(format!("it has more than {MOST_VALUES} values"));
    }
    rows.push(row);
    Ok(())
}
