//! MANIFESTS of packs, read back: what each image is called and which bytes it had, from CSV, JSON Lines or Parquet.

use std::path::Path;

use crate::bounded_read::{MOST_TABLE_BYTES, is_file, read};
use crate::csv_escape::unguarded;
use crate::separated::{reader, text_of};

/// An image as a manifest names it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ManifestRow {
    /// Its path in the split.
    pub path: String,
    /// The checksum of its bytes in hexadecimal digits, as it is written; empty where there is none.
    pub sha256: String,
}

/// The rows of a manifest, in its order. Nothing in them is believed yet.
///
/// # Errors
///
/// What is wrong with it, as the end of a sentence: it is no file (links are none), too large, or has no paths.
pub fn read_manifest(manifest: &Path) -> Result<Vec<ManifestRow>, String> {
    if !is_file(manifest) {
        return Err("its manifest is not a file".to_owned());
    }
    let bytes = read(manifest, MOST_TABLE_BYTES)?;
    let text = text_of(&bytes)?;
    match manifest.extension().is_some_and(|extension| extension == "jsonl") {
        true => of_lines(text),
        false => of_cells(text),
    }
}

fn of_lines(text: &str) -> Result<Vec<ManifestRow>, String> {
    let row = |line: &str| {
        let row: serde_json::Value = serde_json::from_str(line).ok()?;
        let sha256 = row["sha256"].as_str().unwrap_or_default().to_owned();
        Some(ManifestRow { path: row["path"].as_str()?.to_owned(), sha256 })
    };
    let rows: Option<Vec<ManifestRow>> =
        text.lines().filter(|line| !line.is_empty()).map(row).collect();
    rows.ok_or_else(|| "its manifest has a line without a path".to_owned())
}

fn of_cells(text: &str) -> Result<Vec<ManifestRow>, String> {
    let mut rows = reader(text).into_records();
    let head = rows.next().transpose().map_err(|error| error.to_string())?.unwrap_or_default();
    let position = |wanted: &str| head.iter().position(|name| name.trim() == wanted);
    let path = position("path").ok_or("its manifest has no column path")?;
    let sha256 = position("sha256");
    rows.map(|row| {
        let row = row.map_err(|error| error.to_string())?;
        let cell = |column: usize| row.get(column).unwrap_or_default();
        let sha256 = sha256.map(cell).unwrap_or_default().to_owned();
        Ok(ManifestRow { path: unguarded(cell(path)).to_owned(), sha256 })
    })
    .collect()
}
