//! One row: a file's path and stamp, and what reading it gave.

use std::borrow::Cow;
use std::path::Path;

use rusqlite::types::{ToSqlOutput, Value, ValueRef};
use rusqlite::{Statement, ToSql, params_from_iter};

use crate::files::{RelPath, Stamp};
use crate::measuring::{Descriptor, Digest, Fingerprint, Look, Measured};
use crate::reading::{ColourMode, Facts, Format, ReadError, ReadLimits};
use crate::record::{Outcome, Reason};

/// The columns of a row but its checksum, in the order of the table.
pub(super) const COLUMNS: usize = 31;

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

/// Why a picture was refused, behind the limits that were in force: under others it may be read.
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
        let mut row = Vec::with_capacity(COLUMNS);
        row.push(Key::new(path).0);
        row.extend([stamp.size_bytes as i64, stamp.modified_ns, stamp.changed_ns].map(Value::from));
        let text = |text: &str| Value::Text(text.to_owned());
        let maybe = |text: Option<&str>| text.map_or(Value::Null, |text| text.to_owned().into());
        let (word, detail, format) = match outcome {
            Outcome::Image(measured) => {
                let read_warnings = (!measured.read_warnings.is_empty()).then(|| {
                    serde_json::to_string(&measured.read_warnings)
                        .expect("plain structures serialise")
                });
                ("image", maybe(read_warnings.as_deref()), Some(measured.facts.format))
            }
            Outcome::SetAside(reason) => match reason {
                Reason::Stray(what) => ("stray", maybe(what.as_deref()), None),
                Reason::SplitTable => ("split-table", Value::Null, None),
                Reason::ReadError(read_error) => match read_error {
                    ReadError::Empty => ("empty", Value::Null, None),
                    ReadError::NotAnImage(what) => ("not-an-image", maybe(what.as_deref()), None),
                    ReadError::Unsupported(what) => ("unsupported", text(what), None),
                    ReadError::Truncated(format, what) => ("truncated", text(what), Some(*format)),
                    ReadError::Damaged(format, what) => ("damaged", text(what), Some(*format)),
                    ReadError::OverLimit(what) => {
                        ("over-limit", text(&refused(limits, what)), None)
                    }
                    ReadError::Unreadable(_) => return None,
                },
                _ => return None,
            },
        };
        row.extend([text(word), detail]);
        let image = match outcome {
            Outcome::Image(measured) => Some(measured),
            Outcome::SetAside(_) => None,
        };
        row.push(image.map_or(Value::Null, |image| Value::Blob(image.digest.0.to_vec())));
        row.push(maybe(format.map(Format::name)));
        if let Some(Measured { facts, look, fingerprint, descriptor, small_pixels, .. }) = image {
            row.extend([facts.width_px, facts.height_px].map(Value::from));
            row.push(text(facts.colour.name()));
            row.extend(
                [u32::from(facts.bits), facts.frames, facts.orientation.into()].map(Value::from),
            );
            row.extend(
                [&facts.profile, &facts.captured, &facts.camera].map(|t| maybe(t.as_deref())),
            );
            let Look { mean, deviation, .. } = look;
            row.extend([*mean, *deviation].concat().iter().map(|&v| Value::Real(f64::from(v))));
            let numbers =
                [look.brightness, look.contrast, look.sharpness, look.saturation, look.flat_share];
            row.extend(numbers.map(|value| Value::Real(f64::from(value))));
            row.extend([fingerprint.0.to_vec(), descriptor.0.to_vec()].map(Value::Blob));
            row.push(small_pixels.map_or(Value::Null, |digest| Value::Blob(digest.0.to_vec())));
        }
        row.resize(COLUMNS, Value::Null);
        Some(Row(row))
    }

    /// Writes the row with its checksum.
    pub fn write(&self, statement: &mut Statement<'_>) -> rusqlite::Result<()> {
        let checksum = Value::Integer(checksum(self.0.iter().map(ValueRef::from)));
        statement.execute(params_from_iter(self.0.iter().chain([&checksum])))?;
        Ok(())
    }
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
        Key(Value::try_from(self.column(0)).unwrap_or(Value::Null))
    }

    pub fn path(&self) -> RelPath {
        self.key().path()
    }

    /// Whether it is about the file at `path`.
    pub fn is_about(&self, path: &RelPath) -> bool {
        match (self.column(0), path.undecodable_bytes()) {
            (ValueRef::Text(text), None) => text == path.as_str().as_bytes(),
            (ValueRef::Blob(bytes), Some(path)) => bytes == path,
            _ => false,
        }
    }

    pub fn stamp(&self) -> Stamp {
        Stamp {
            size_bytes: self.integer(1).unwrap_or(0) as u64,
            modified_ns: self.integer(2).unwrap_or(0),
            changed_ns: self.integer(3).unwrap_or(0),
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

    fn number<T: TryFrom<i64>>(&self, column: usize) -> Option<T> {
        T::try_from(self.integer(column)?).ok()
    }

    fn real(&self, column: usize) -> Option<f32> {
        match self.column(column) {
            ValueRef::Real(number) => Some(number as f32),
            _ => None,
        }
    }

    fn text(&self, column: usize) -> Option<&str> {
        match self.column(column) {
            ValueRef::Text(text) => std::str::from_utf8(text).ok(),
            _ => None,
        }
    }

    fn bytes<const N: usize>(&self, column: usize) -> Option<[u8; N]> {
        match self.column(column) {
            ValueRef::Blob(bytes) => bytes.try_into().ok(),
            _ => None,
        }
    }

    /// What reading the file gave; none when the row is damaged, or was refused under other limits.
    pub fn outcome(&self, limits: &ReadLimits) -> Option<Outcome> {
        let columns = (0..COLUMNS).map(|column| self.column(column));
        if self.integer(COLUMNS) != Some(checksum(columns)) {
            return None;
        }
        let detail = || self.text(5).map(str::to_owned);
        let what = || detail().map(Cow::Owned);
        let format = || Format::ALL.into_iter().find(|format| Some(format.name()) == self.text(7));
        Some(Outcome::SetAside(match self.text(4)? {
            "image" => return Some(Outcome::Image(self.measured(format()?)?)),
            "stray" => Reason::Stray(what()),
            "split-table" => Reason::SplitTable,
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

    fn measured(&self, format: Format) -> Option<Measured> {
        let colour = ColourMode::ALL.into_iter().find(|mode| Some(mode.name()) == self.text(10))?;
        let maybe = |column: usize| self.text(column).map(Into::into);
        let three = |column: usize| {
            Some([self.real(column)?, self.real(column + 1)?, self.real(column + 2)?])
        };
        Some(Measured {
            digest: Digest(self.bytes(6)?),
            read_warnings: match self.text(5) {
                Some(read_warnings) => serde_json::from_str(read_warnings).ok()?,
                None => Vec::new(),
            },
            facts: Facts {
                format,
                width_px: self.number(8)?,
                height_px: self.number(9)?,
                colour,
                bits: self.number(11)?,
                frames: self.number(12)?,
                orientation: self.number(13)?,
                profile: maybe(14),
                captured: maybe(15),
                camera: maybe(16),
            },
            look: Look {
                mean: three(17)?,
                deviation: three(20)?,
                brightness: self.real(23)?,
                contrast: self.real(24)?,
                sharpness: self.real(25)?,
                saturation: self.real(26)?,
                flat_share: self.real(27)?,
            },
            fingerprint: Fingerprint(self.bytes(28)?),
            descriptor: Descriptor(self.bytes(29)?),
            small_pixels: self.bytes(30).map(Digest),
        })
    }
}
