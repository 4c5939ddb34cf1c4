//! The columns: what is stored of a file, in types that every engine has.
//!
//! Digests are hexadecimal text, and the 256 bits of a fingerprint are four signed numbers of 64 bits: engines without
//! unsigned ones would make decimals of them.

use rusqlite::types::Value;

use super::hexadecimal;
use crate::files::RelPath;
use crate::measuring::{Digest, Thumbnail};
use crate::reading::ReadLimits;
use crate::record::Record;
use crate::store::{Row, measured_columns};

/// The type of a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ColumnKind {
    /// Whole numbers of 64 bits, with a sign.
    Integer,
    /// Floating-point numbers of 64 bits.
    Real,
    /// UTF-8.
    Text,
    /// Bytes.
    Bytes,
}

/// One column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TableColumn {
    /// Its name.
    pub name: &'static str,
    /// Its type.
    pub kind: ColumnKind,
    /// Whether a cell may be empty.
    pub is_optional: bool,
    /// Whether it is of use only where the catalog is built again.
    pub is_internal: bool,
}

const fn column(name: &'static str, kind: ColumnKind, is_optional: bool) -> TableColumn {
    TableColumn { name, kind, is_optional, is_internal: false }
}

const fn internal(name: &'static str, kind: ColumnKind, is_optional: bool) -> TableColumn {
    TableColumn { name, kind, is_optional, is_internal: true }
}

/// The columns before those that are measured.
const HEAD: [TableColumn; 10] = [
    column("path", ColumnKind::Text, false),
    internal("path_bytes", ColumnKind::Bytes, true),
    column("split", ColumnKind::Text, true),
    column("class", ColumnKind::Text, true),
    column("group", ColumnKind::Text, true),
    column("size_bytes", ColumnKind::Integer, false),
    column("modified_ns", ColumnKind::Integer, false),
    internal("changed_ns", ColumnKind::Integer, false),
    internal("outcome", ColumnKind::Text, false),
    internal("detail", ColumnKind::Text, true),
];
/// Places of columns of the head that a stored row has as well, in its order behind the path.
const STORED: [usize; 5] = [5, 6, 7, 8, 9];
/// The words of a fingerprint.
const FINGERPRINT: [&str; 4] = ["fingerprint_0", "fingerprint_1", "fingerprint_2", "fingerprint_3"];
/// The last column.
const THUMBNAIL: TableColumn = column("thumbnail", ColumnKind::Bytes, true);

/// All columns, in their order; `thumbnail` is the last.
pub fn columns() -> Vec<TableColumn> {
    let mut all = HEAD.to_vec();
    for (name, sql) in measured_columns() {
        match (name, sql) {
            ("fingerprint", _) => {
                all.extend(FINGERPRINT.map(|name| column(name, ColumnKind::Integer, true)));
            }
            (name, "INTEGER") => all.push(column(name, ColumnKind::Integer, true)),
            (name, "REAL") => all.push(column(name, ColumnKind::Real, true)),
            (name, _) => all.push(column(name, ColumnKind::Text, true)),
        }
    }
    all.push(THUMBNAIL);
    all
}

/// The cells of a file, one for each column; none for what is known without reading the file, or not for sure.
pub(super) fn cells(
    record: &Record,
    thumbnail: Option<&Thumbnail>,
    limits: &ReadLimits,
) -> Option<Vec<Value>> {
    let stored = Row::new(&record.path, record.at.stamp(), &record.outcome, limits)?.into_values();
    let text = |text: Option<&str>| text.map_or(Value::Null, |text| text.to_owned().into());
    let bytes = record.path.undecodable_bytes();
    let mut cells = vec![
        record.path.as_str().to_owned().into(),
        bytes.map_or(Value::Null, |bytes| bytes.to_vec().into()),
        text(record.split()),
        text(record.class()),
        text(record.place.group()),
    ];
    cells.extend_from_slice(&stored[1..=STORED.len()]);
    for ((name, _), value) in measured_columns().zip(&stored[1 + STORED.len()..]) {
        match (name, value) {
            ("fingerprint", Value::Blob(bytes)) => {
                let word = |bytes: &[u8]| i64::from_le_bytes(bytes.try_into().expect("8 bytes"));
                cells.extend(bytes.chunks_exact(8).map(|bytes| Value::Integer(word(bytes))));
            }
            ("fingerprint", _) => cells.extend(vec![Value::Null; FINGERPRINT.len()]),
            (_, Value::Blob(bytes)) => cells.push(hexadecimal::digits(bytes).into()),
            (_, value) => cells.push(value.clone()),
        }
    }
    cells.push(thumbnail.map_or(Value::Null, |thumbnail| thumbnail.0.to_vec().into()));
    Some(cells)
}

/// What is stored of a file.
pub(super) struct StoredFile {
    pub path: RelPath,
    pub row: Row,
    pub thumbnail: Option<(Digest, Thumbnail)>,
}

/// The file that cells are about. What they say of an image is checked where it is used: a row that says nothing valid has
/// the file read again.
pub(super) fn file_of(cells: &[Value]) -> Result<StoredFile, String> {
    let path = match (&cells[0], &cells[1]) {
        (_, Value::Blob(bytes)) => RelPath::of_bytes(bytes),
        (Value::Text(text), _) => RelPath::new(text.as_ref()),
        _ => return Err("a row has no path".to_owned()),
    };
    let mut stored = vec![Value::Null];
    stored.extend(STORED.iter().map(|&at| cells[at].clone()));
    let mut at = HEAD.len();
    for (name, sql) in measured_columns() {
        match (name, sql) {
            ("fingerprint", _) => {
                let words = &cells[at..at + FINGERPRINT.len()];
                at += FINGERPRINT.len();
                let word = |word: &Value| match word {
                    Value::Integer(word) => Some(word.to_le_bytes()),
                    _ => None,
                };
                let words: Option<Vec<[u8; 8]>> = words.iter().map(word).collect();
                stored.push(words.map_or(Value::Null, |words| Value::Blob(words.concat())));
            }
            (_, "BLOB") => {
                let digest = match &cells[at] {
                    Value::Text(text) => Digest::from_hex(text),
                    _ => None,
                };
                stored.push(digest.map_or(Value::Null, |digest| Value::Blob(digest.0.to_vec())));
                at += 1;
            }
            _ => {
                stored.push(cells[at].clone());
                at += 1;
            }
        }
    }
    let digest = match &stored[1 + STORED.len()] {
        Value::Blob(bytes) => bytes.as_slice().try_into().ok().map(Digest),
        _ => None,
    };
    let thumbnail = match &cells[at] {
        Value::Blob(planes) if planes.len() == Thumbnail::BYTES => Some(Thumbnail(planes.clone())),
        _ => None,
    };
    Ok(StoredFile { row: Row::of_values(&path, stored), path, thumbnail: digest.zip(thumbnail) })
}
