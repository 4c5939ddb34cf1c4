//! One row: a file's path and stamp, and what reading it gave.

use std::borrow::Cow;
use std::path::Path;

use rusqlite::types::{ToSqlOutput, Value, ValueRef};
use rusqlite::{Statement, ToSql, params_from_iter};

use super::columns::{self, MEASURED};
use crate::files::{RelPath, Stamp};
use crate::measuring::Measured;
use crate::reading::{ReadError, ReadLimits};
use crate::record::{Outcome, Reason};

/// The columns that every row has, with their types in SQL; those of an image follow, and then the checksum.
const HEAD: [(&str, &str); 6] = [
    ("path", "PRIMARY KEY NOT NULL"),
    ("size_bytes", "INTEGER NOT NULL"),
    ("modified_ns", "INTEGER NOT NULL"),
    ("changed_ns", "INTEGER NOT NULL"),
    ("outcome", "TEXT NOT NULL"),
    ("detail", "TEXT"),
];
/// Places of the columns that every row has.
const PATH: usize = 0;
const SIZE_BYTES: usize = 1;
const MODIFIED_NS: usize = 2;
const CHANGED_NS: usize = 3;
const OUTCOME: usize = 4;
const DETAIL: usize = 5;
/// All columns but the checksum, which is the last.
const COLUMNS: usize = HEAD.len() + MEASURED.len();

/// The table of images, in SQL.
pub(super) fn table() -> String {
    let head = HEAD.iter().map(|(name, sql)| format!("{name} {sql}"));
    let measured = MEASURED.iter().map(|column| format!("{} {}", column.name, column.sql));
    let columns: Vec<String> = head.chain(measured).collect();
    format!(
        "CREATE TABLE images ({}, checksum INTEGER NOT NULL) WITHOUT ROWID;",
        columns.join(", ")
    )
}

/// The statement that writes a row, in SQL.
pub(super) fn put() -> String {
    format!("INSERT OR REPLACE INTO images VALUES ({}?)", "?, ".repeat(COLUMNS))
}

/// A path as it is stored: as text, or as bytes where it is not UTF-8.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Key(Value);

impl Key {
    pub fn new(path: &RelPath) -> Self {
        Key(match path.undecodable_bytes() {
            Some(bytes) => Value::Blob(bytes.to_vec()),
            None => Value::Text(path.as_str().to_owned()),
        })
    }

    fn path(&self) -> RelPath {
        match &self.0 {
            Value::Text(text) => RelPath::new(Path::new(text)),
            Value::Blob(bytes) => RelPath::of_bytes(bytes),
            _ => RelPath::new(Path::new("")),
        }
    }
}

impl ToSql for Key {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        self.0.to_sql()
    }
}

/// Why an image was refused, behind the limits that were in force: under others it may be read.
fn refused(limits: &ReadLimits, what: &str) -> String {
    let numbers = limits.numbers().map(|number| number.to_string());
    format!("{} {what}", numbers.join("/"))
}

/// One row of the table of images.
pub(crate) struct Row(Vec<Value>);

impl Row {
    /// The row of a file that was read; none for outcomes that the next run may find changed
    /// without any change to the file.
    pub fn new(
        path: &RelPath,
        stamp: Stamp,
        outcome: &Outcome,
        limits: &ReadLimits,
    ) -> Option<Self> {
        let text = |text: &str| Value::Text(text.to_owned());
        let maybe = |text: Option<&str>| text.map_or(Value::Null, |text| text.to_owned().into());
        let (word, detail, format) = match outcome {
            Outcome::Image(_) => ("image", Value::Null, None),
            Outcome::SetAside(reason) => match reason {
                Reason::Stray(what) => ("stray", maybe(what.as_deref()), None),
                Reason::GeneratedTable => ("generated-table", Value::Null, None),
                Reason::ReadError(read_error) => match read_error {
                    ReadError::Empty => ("empty", Value::Null, None),
                    ReadError::NotAnImage(what) => ("not-an-image", maybe(what.as_deref()), None),
                    ReadError::Unsupported(what) => ("unsupported", text(what), None),
                    ReadError::Truncated(format, what) => ("truncated", text(what), Some(format)),
                    ReadError::Damaged(format, what) => ("damaged", text(what), Some(format)),
                    ReadError::OverLimit(what) => {
                        ("over-limit", text(&refused(limits, what)), None)
                    }
                    ReadError::Unreadable(_) => return None,
                },
                _ => return None,
            },
        };
        let mut row = vec![Value::Null; COLUMNS];
        row[PATH] = Key::new(path).0;
        row[SIZE_BYTES] = Value::Integer(stamp.size_bytes as i64);
        row[MODIFIED_NS] = Value::Integer(stamp.modified_ns);
        row[CHANGED_NS] = Value::Integer(stamp.changed_ns);
        (row[OUTCOME], row[DETAIL]) = (text(word), detail);
        if let Outcome::Image(image) = outcome {
            for (place, column) in row[HEAD.len()..].iter_mut().zip(&MEASURED) {
                *place = (column.write)(image);
            }
        }
        if let Some(known) = format {
            row[place_of("format")] = columns::format(known);
        }
        Some(Row(row))
    }

    /// The cells in the order of the table, the path first.
    pub fn into_values(self) -> Vec<Value> {
        self.0
    }

    /// A row of cells in that order, which are not checked: what is no valid row has its file read again.
    pub fn of_values(path: &RelPath, mut values: Vec<Value>) -> Self {
        values.resize(COLUMNS, Value::Null);
        values[PATH] = Key::new(path).0;
        Row(values)
    }

    /// Writes the row with its checksum.
    pub fn write(&self, statement: &mut Statement<'_>) -> rusqlite::Result<()> {
        let checksum = Value::Integer(checksum(self.0.iter().map(ValueRef::from)));
        statement.execute(params_from_iter(self.0.iter().chain([&checksum])))?;
        Ok(())
    }
}

/// The place of a column of images.
fn place_of(name: &str) -> usize {
    let at = MEASURED.iter().position(|column| column.name == name);
    HEAD.len() + at.expect("a column of pictures")
}

/// A digest of all columns: a database that a failing disk has changed is not believed.
fn checksum<'a>(columns: impl Iterator<Item = ValueRef<'a>>) -> i64 {
    let mut hasher = blake3::Hasher::new();
    for value in columns {
        match value {
            ValueRef::Null => hasher.update(b"0"),
            ValueRef::Integer(number) => hasher.update(b"1").update(&number.to_le_bytes()),
            ValueRef::Real(number) => hasher.update(b"2").update(&number.to_le_bytes()),
            ValueRef::Text(text) => {
                hasher.update(b"3").update(&text.len().to_le_bytes()).update(text)
            }
            ValueRef::Blob(bytes) => {
                hasher.update(b"4").update(&bytes.len().to_le_bytes()).update(bytes)
            }
        };
    }
    i64::from_le_bytes(hasher.finalize().as_bytes()[..8].try_into().expect("8 bytes"))
}

/// A row as the database gives it: nothing is taken out of it but what is asked for.
pub(crate) struct Stored<'a>(pub &'a rusqlite::Row<'a>);

impl Stored<'_> {
    pub fn key(&self) -> Key {
        Key(Value::try_from(self.column(PATH)).unwrap_or(Value::Null))
    }

    pub fn path(&self) -> RelPath {
        self.key().path()
    }

    /// Whether it is about the file at `path`.
    pub fn is_about(&self, path: &RelPath) -> bool {
        match (self.column(PATH), path.undecodable_bytes()) {
            (ValueRef::Text(text), None) => text == path.as_str().as_bytes(),
            (ValueRef::Blob(bytes), Some(path)) => bytes == path,
            _ => false,
        }
    }

    pub fn stamp(&self) -> Stamp {
        Stamp {
            size_bytes: self.integer(SIZE_BYTES).unwrap_or(0) as u64,
            modified_ns: self.integer(MODIFIED_NS).unwrap_or(0),
            changed_ns: self.integer(CHANGED_NS).unwrap_or(0),
        }
    }

    fn column(&self, column: usize) -> ValueRef<'_> {
        self.0.get_ref(column).unwrap_or(ValueRef::Null)
    }

    fn integer(&self, column: usize) -> Option<i64> {
        match self.column(column) {
            ValueRef::Integer(number) => Some(number),
            _ => None,
        }
    }

    fn text(&self, column: usize) -> Option<&str> {
        match self.column(column) {
            ValueRef::Text(text) => std::str::from_utf8(text).ok(),
            _ => None,
        }
    }

    /// What reading the file gave; none when the row is damaged, or was refused under other limits.
    pub fn outcome(&self, limits: &ReadLimits) -> Option<Outcome> {
        let columns = (0..COLUMNS).map(|column| self.column(column));
        if self.integer(COLUMNS) != Some(checksum(columns)) {
            return None;
        }
        let detail = || self.text(DETAIL).map(str::to_owned);
        let what = || detail().map(Cow::Owned);
        let format = || columns::of_format(self.column(place_of("format")));
        Some(Outcome::SetAside(match self.text(OUTCOME)? {
            "image" => return Some(Outcome::Image(self.measured()?)),
            "stray" => Reason::Stray(what()),
            "generated-table" => Reason::GeneratedTable,
            "empty" => Reason::ReadError(ReadError::Empty),
            "not-an-image" => Reason::ReadError(ReadError::NotAnImage(what())),
            "unsupported" => Reason::ReadError(ReadError::Unsupported(detail()?)),
            "truncated" => Reason::ReadError(ReadError::Truncated(format()?, detail()?)),
            "over-limit" => {
                let detail = detail()?;
                let what = detail.split_once(' ').map(|(_, what)| what)?;
                if detail != refused(limits, what) {
                    return None;
                }
                Reason::ReadError(ReadError::OverLimit(what.to_owned()))
            }
            "damaged" => Reason::ReadError(ReadError::Damaged(format()?, detail()?)),
            _ => return None,
        }))
    }

    fn measured(&self) -> Option<Measured> {
        let mut image = columns::blank();
        for (at, column) in MEASURED.iter().enumerate() {
            (column.read)(&mut image, self.column(HEAD.len() + at))?;
        }
        Some(image)
    }
}
