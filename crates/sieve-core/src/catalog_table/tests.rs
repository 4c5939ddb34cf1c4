//! Parts come back as they were written, in every format, and nothing else is taken for one.

use std::fs::{self, File};
use std::path::Path;

use proptest::prelude::*;
use rusqlite::types::Value;

use super::columns::{ColumnKind, columns};
use super::json_lines::JsonLinesTable;
use super::part::{Part, PartHead};
use super::read::read;
use super::rows::TableWriter;
use crate::reading::ReadLimits;

fn head() -> PartHead {
    PartHead::new(Part { number: 2, of: 3 }, &ReadLimits::default())
}

fn cell(kind: ColumnKind, is_optional: bool) -> BoxedStrategy<Value> {
    let some = match kind {
        ColumnKind::Integer => any::<i64>().prop_map(Value::Integer).boxed(),
        // What is measured are numbers of 32 bits.
        ColumnKind::Real => {
            let number = any::<f32>().prop_filter("a number", |number| number.is_finite());
            number.prop_map(|number| Value::Real(f64::from(number))).boxed()
        }
        ColumnKind::Text => "\\PC{0,9}".prop_map(Value::Text).boxed(),
        ColumnKind::Bytes => {
            proptest::collection::vec(any::<u8>(), 0..9).prop_map(Value::Blob).boxed()
        }
    };
    if is_optional { prop_oneof![some, Just(Value::Null)].boxed() } else { some }
}

fn rows() -> impl Strategy<Value = Vec<Vec<Value>>> {
    let cells: Vec<BoxedStrategy<Value>> =
        columns().iter().map(|column| cell(column.kind, column.is_optional)).collect();
    proptest::collection::vec(cells, 0..5)
}

/// As far as the catalog goes: reals are numbers of 32 bits there.
fn rounded(rows: &[Vec<Value>]) -> Vec<Vec<Value>> {
    let cell = |cell: &Value| match cell {
        Value::Real(number) => Value::Real(f64::from(*number as f32)),
        other => other.clone(),
    };
    rows.iter().map(|row| row.iter().map(cell).collect()).collect()
}

fn read_back(file: &Path) -> Result<(PartHead, Vec<Vec<Value>>), String> {
    let mut rows = Vec::new();
    let head = read(file, &mut |_, cells| {
        rows.push(cells);
        Ok(())
    })?;
    Ok((head, rows))
}

fn written(mut table: Box<dyn TableWriter>, rows: &[Vec<Value>]) {
    rows.iter().for_each(|row| table.row(row.clone()).unwrap());
    table.finish().unwrap();
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn parts_come_back_as_they_were_written(rows in rows(), cut in 0usize..4000) {
        let folder = tempfile::tempdir().unwrap();
        let lines = folder.path().join("part.jsonl");
        let into = File::create(&lines).unwrap();
        written(Box::new(JsonLinesTable::new(into, columns(), Some(&head())).unwrap()), &rows);
        let (found, again) = read_back(&lines).unwrap();
        prop_assert_eq!(found, head());
        prop_assert_eq!(rounded(&again), rows.clone());
        // A part that is cut gives rows that were written, or an error: never others.
        let bytes = fs::read(&lines).unwrap();
        let cut = cut.min(bytes.len());
        fs::write(&lines, &bytes[..cut]).unwrap();
        if let Ok((found, again)) = read_back(&lines) {
            prop_assert_eq!(found, head());
            prop_assert_eq!(&rounded(&again)[..], &rows[..again.len()]);
        }
        #[cfg(feature = "parquet")]
        {
            let file = folder.path().join("part.parquet");
            let into = std::io::BufWriter::new(File::create(&file).unwrap());
            let table = super::parquet::ParquetTable::new(into, columns(), Some(&head())).unwrap();
            written(Box::new(table), &rows);
            let (found, again) = read_back(&file).unwrap();
            prop_assert_eq!(found, head());
            prop_assert_eq!(again, rows);
            let bytes = fs::read(&file).unwrap();
            fs::write(&file, &bytes[..cut.min(bytes.len() - 1)]).unwrap();
            prop_assert!(read_back(&file).is_err());
        }
    }
}

#[test]
fn what_is_no_part_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let why = |name: &str, text: &str| {
        let file = folder.path().join(name);
        fs::write(&file, text).unwrap();
        read_back(&file).unwrap_err()
    };
    let first = serde_json::to_string(&head()).unwrap();
    assert_eq!(why("a.jsonl", ""), "it is not a part of a catalog");
    assert_eq!(why("b.jsonl", "[]\n"), "it is not a part of a catalog");
    assert_eq!(why("c.jsonl", &format!("{first}\n[]\n")), "line 2 is not a row");
    assert_eq!(why("d.jsonl", &format!("{first}\n{{\"path\":7}}\n")), "line 2 has a wrong cell");
    let long = "x".repeat(1 << 20);
    assert_eq!(why("e.jsonl", &format!("{first}\n\"{long}\"\n")), "a line is longer than 1 MiB");
    assert_eq!(why("f.csv", "path\n"), "parts are Parquet or JSON Lines");
    assert!(why("g.txt", "").contains("expected a name that ends in"));
    // Odd digits are no bytes.
    let row = format!(
        "{{\"path\":\"a\",\"size_bytes\":1,\"modified_ns\":1,\"changed_ns\":1,\"outcome\":\"image\",\"thumbnail\":\"{}\"}}",
        "abc"
    );
    assert_eq!(why("h.jsonl", &format!("{first}\n{row}\n")), "line 2 has a wrong cell");
    assert_eq!(read_back(folder.path()).unwrap_err(), "it is not a file");
}
