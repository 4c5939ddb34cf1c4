//! The columns of what was measured about an image: one line each, which makes the table, writes and reads.

use rusqlite::types::{Value, ValueRef};

use crate::measuring::{Digest, Fingerprint, ImageMeasures, Measured};
use crate::reading::{ColourMode, Facts, Format};

/// One column.
pub(super) struct Column {
    /// Its name.
    pub name: &'static str,
    /// Its type in SQL.
    pub sql: &'static str,
    /// What is written of an image.
    pub write: fn(&Measured) -> Value,
    /// Puts what was written back into an image; none where it is nothing that is ever written.
    pub read: fn(&mut Measured, ValueRef<'_>) -> Option<()>,
}

/// A column of a field of an image: its name, its type, and the functions that make a value of it and back.
macro_rules! column {
    ($name:literal, $sql:literal, $to:ident, $of:ident, $($field:tt)+) => {
        Column {
            name: $name,
            sql: $sql,
            write: |image| $to(&image.$($field)+),
            read: |image, value| {
                image.$($field)+ = $of(value)?;
                Some(())
            },
        }
    };
}

/// All columns of an image, in the order of the table.
pub(super) static MEASURED: [Column; 25] = [
    column!("digest", "BLOB", digest, of_digest, digest),
    column!("width_px", "INTEGER", integer, of_integer, facts.width_px),
    column!("height_px", "INTEGER", integer, of_integer, facts.height_px),
    column!("colour", "TEXT", colour, of_colour, facts.colour),
    column!("bits", "INTEGER", integer, of_integer, facts.bits),
    column!("frames", "INTEGER", integer, of_integer, facts.frames),
    column!("orientation", "INTEGER", integer, of_integer, facts.orientation),
    column!("profile", "TEXT", maybe_text, of_maybe_text, facts.profile),
    column!("captured", "TEXT", maybe_text, of_maybe_text, facts.captured),
    column!("camera", "TEXT", maybe_text, of_maybe_text, facts.camera),
    column!("mean_red", "REAL", real, of_real, measures.mean[0]),
    column!("mean_green", "REAL", real, of_real, measures.mean[1]),
    column!("mean_blue", "REAL", real, of_real, measures.mean[2]),
    column!("deviation_red", "REAL", real, of_real, measures.deviation[0]),
    column!("deviation_green", "REAL", real, of_real, measures.deviation[1]),
    column!("deviation_blue", "REAL", real, of_real, measures.deviation[2]),
    column!("brightness", "REAL", real, of_real, measures.brightness),
    column!("contrast", "REAL", real, of_real, measures.contrast),
    column!("sharpness", "REAL", real, of_real, measures.sharpness),
    column!("saturation", "REAL", real, of_real, measures.saturation),
    column!("flat_share", "REAL", real, of_real, measures.flat_share),
    column!("fingerprint", "BLOB", fingerprint, of_fingerprint, fingerprint),
    column!("small_pixels", "BLOB", maybe_digest, of_maybe_digest, small_pixels),
    column!("read_warnings", "TEXT", json, of_json, read_warnings),
    column!("format", "TEXT", format, of_format, facts.format),
];

/// An image of which nothing is known yet.
pub(super) fn blank() -> Measured {
    Measured {
        digest: Digest([0; 32]),
        facts: Facts {
            format: Format::Jpeg,
            width_px: 0,
            height_px: 0,
            colour: ColourMode::Grey,
            bits: 0,
            frames: 0,
            orientation: 0,
            profile: None,
            captured: None,
            camera: None,
        },
        read_warnings: Vec::new(),
        measures: ImageMeasures::default(),
        fingerprint: Fingerprint::default(),
        small_pixels: None,
    }
}

fn integer<T: Copy + Into<i64>>(number: &T) -> Value {
    Value::Integer((*number).into())
}

fn of_integer<T: TryFrom<i64>>(value: ValueRef<'_>) -> Option<T> {
    match value {
        ValueRef::Integer(number) => T::try_from(number).ok(),
        _ => None,
    }
}

fn real(number: &f32) -> Value {
    Value::Real(f64::from(*number))
}

fn of_real(value: ValueRef<'_>) -> Option<f32> {
    match value {
        ValueRef::Real(number) => Some(number as f32),
        _ => None,
    }
}

fn of_text(value: ValueRef<'_>) -> Option<&str> {
    match value {
        ValueRef::Text(text) => std::str::from_utf8(text).ok(),
        _ => None,
    }
}

fn maybe_text(text: &Option<Box<str>>) -> Value {
    text.as_deref().map_or(Value::Null, |text| text.to_owned().into())
}

fn of_maybe_text(value: ValueRef<'_>) -> Option<Option<Box<str>>> {
    match value {
        ValueRef::Null => Some(None),
        text => of_text(text).map(|text| Some(text.into())),
    }
}

fn of_bytes<const N: usize>(value: ValueRef<'_>) -> Option<[u8; N]> {
    match value {
        ValueRef::Blob(bytes) => bytes.try_into().ok(),
        _ => None,
    }
}

fn digest(digest: &Digest) -> Value {
    Value::Blob(digest.0.to_vec())
}

fn of_digest(value: ValueRef<'_>) -> Option<Digest> {
    of_bytes(value).map(Digest)
}

fn maybe_digest(one: &Option<Digest>) -> Value {
    one.as_ref().map_or(Value::Null, digest)
}

fn of_maybe_digest(value: ValueRef<'_>) -> Option<Option<Digest>> {
    match value {
        ValueRef::Null => Some(None),
        bytes => of_digest(bytes).map(Some),
    }
}

fn fingerprint(fingerprint: &Fingerprint) -> Value {
    Value::Blob(fingerprint.0.to_vec())
}

fn of_fingerprint(value: ValueRef<'_>) -> Option<Fingerprint> {
    of_bytes(value).map(Fingerprint)
}

fn colour(mode: &ColourMode) -> Value {
    mode.name().to_owned().into()
}

fn of_colour(value: ValueRef<'_>) -> Option<ColourMode> {
    let name = of_text(value)?;
    ColourMode::ALL.into_iter().find(|mode| mode.name() == name)
}

pub(super) fn format(format: &Format) -> Value {
    format.name().to_owned().into()
}

pub(super) fn of_format(value: ValueRef<'_>) -> Option<Format> {
    let name = of_text(value)?;
    Format::ALL.into_iter().find(|format| format.name() == name)
}

/// Lists as JSON; an empty one, as nearly all are, as nothing.
fn json<T: serde::Serialize>(list: &Vec<T>) -> Value {
    match list[..] {
        [] => Value::Null,
        _ => serde_json::to_string(list).expect("plain structures serialise").into(),
    }
}

fn of_json<T: serde::de::DeserializeOwned>(value: ValueRef<'_>) -> Option<Vec<T>> {
    match value {
        ValueRef::Null => Some(Vec::new()),
        text => serde_json::from_str(of_text(text)?).ok(),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::reading::ReadWarning;

    fn images() -> impl Strategy<Value = Measured> {
        let facts = (0usize..8, 1u32.., 1u32.., 0usize..6, 1u8..33, 1u32.., 1u8..9);
        let words = proptest::option::of("[ -~é薄]{0,12}");
        let numbers =
            proptest::collection::vec(any::<f32>().prop_filter("a number", |n| !n.is_nan()), 11);
        let blobs = (any::<[u8; 32]>(), any::<[u8; 32]>(), proptest::option::of(any::<[u8; 32]>()));
        (facts, [words.clone(), words.clone(), words], numbers, blobs, 0u64..3).prop_map(
            |(facts, [profile, captured, camera], n, (digest, fingerprint, small), warnings)| {
                let (format, width_px, height_px, colour, bits, frames, orientation) = facts;
                let boxed = |text: Option<String>| text.map(String::into_boxed_str);
                Measured {
                    digest: Digest(digest),
                    facts: Facts {
                        format: Format::ALL[format % Format::ALL.len()],
                        width_px,
                        height_px,
                        colour: ColourMode::ALL[colour],
                        bits,
                        frames,
                        orientation,
                        profile: boxed(profile),
                        captured: boxed(captured),
                        camera: boxed(camera),
                    },
                    read_warnings: (0..warnings).map(ReadWarning::TrailingBytes).collect(),
                    measures: ImageMeasures {
                        mean: [n[0], n[1], n[2]],
                        deviation: [n[3], n[4], n[5]],
                        brightness: n[6],
                        contrast: n[7],
                        sharpness: n[8],
                        saturation: n[9],
                        flat_share: n[10],
                    },
                    fingerprint: Fingerprint(fingerprint),
                    small_pixels: small.map(Digest),
                }
            },
        )
    }

    proptest! {
        #[test]
        fn images_come_back_as_they_were_written(image in images()) {
            let values: Vec<Value> = MEASURED.iter().map(|column| (column.write)(&image)).collect();
            let mut read = blank();
            for (column, value) in MEASURED.iter().zip(&values) {
                prop_assert!((column.read)(&mut read, ValueRef::from(value)).is_some(), "{}", column.name);
            }
            prop_assert_eq!(&read, &image);
            // What is no value of a column is refused, not taken for another.
            for column in &MEASURED {
                prop_assert!((column.read)(&mut read, ValueRef::Integer(-1)).is_none(), "{}", column.name);
            }
        }
    }

    #[test]
    fn columns_have_names_of_their_own() {
        let mut names: Vec<&str> = MEASURED.iter().map(|column| column.name).collect();
        names.sort_unstable();
        assert!(names.windows(2).all(|two| two[0] != two[1]), "{names:?}");
    }
}
