//! EXIF: how the camera was held, when it took the image, and which it was.

use exif::{Exif, In, Reader, Tag, Value};

/// What is read of an EXIF block.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct ExifFacts {
    /// 1 (upright) to 8.
    pub orientation: u8,
    /// When the image was taken, as ISO 8601 writes it.
    pub captured: Option<Box<str>>,
    /// Maker and model of the camera.
    pub camera: Option<Box<str>>,
}

impl Default for ExifFacts {
    fn default() -> Self {
        ExifFacts { orientation: 1, captured: None, camera: None }
    }
}

/// What a raw EXIF block (TIFF structure) tells; nothing where there is none.
pub(super) fn facts(block: &[u8]) -> ExifFacts {
    let mut reader = Reader::new();
    // Cameras write blocks with broken maker notes; what stands before them is still good.
    reader.continue_on_error(true);
    let exif = match reader.read_raw(block.to_vec()) {
        Ok(exif) => exif,
        Err(error) => match error.distill_partial_result(|_| {}) {
            Ok(exif) => exif,
            Err(_) => return ExifFacts::default(),
        },
    };
    let orientation = exif.get_field(Tag::Orientation, In::PRIMARY);
    ExifFacts {
        orientation: match orientation.and_then(|field| field.value.get_uint(0)) {
            Some(turn @ 1..=8) => turn as u8,
            _ => 1,
        },
        captured: captured(&exif).map(String::into_boxed_str),
        camera: camera(&exif).map(String::into_boxed_str),
    }
}

/// The first text of a field, without what pads it.
fn text(exif: &Exif, tag: Tag) -> Option<String> {
    match &exif.get_field(tag, In::PRIMARY)?.value {
        Value::Ascii(lines) => {
            let line = String::from_utf8_lossy(lines.first()?);
            let line = line.trim_matches(|c: char| c.is_whitespace() || c.is_control());
            (!line.is_empty()).then(|| line.to_owned())
        }
        _ => None,
    }
}

/// `2026:07:14 09:30:00` as `2026-07-14T09:30:00`, with the fraction of the second and the offset
/// from UTC where they are given. Cameras without a clock write blanks or zeros: that is no time.
fn captured(exif: &Exif) -> Option<String> {
    let kinds = [
        (Tag::DateTimeOriginal, Tag::SubSecTimeOriginal, Tag::OffsetTimeOriginal),
        (Tag::DateTimeDigitized, Tag::SubSecTimeDigitized, Tag::OffsetTimeDigitized),
        (Tag::DateTime, Tag::SubSecTime, Tag::OffsetTime),
    ];
    kinds.iter().find_map(|&(time, fraction, offset)| {
        let mut time = iso_time(&text(exif, time)?)?;
        let is_digits = |text: &String| text.bytes().all(|byte| byte.is_ascii_digit());
        if let Some(fraction) = text(exif, fraction).filter(is_digits) {
            time.push('.');
            time.push_str(&fraction);
        }
        let is_offset = |text: &String| {
            text == "Z" || (text.len() == 6 && text.starts_with(['+', '-']) && text.is_ascii())
        };
        time.extend(text(exif, offset).filter(is_offset));
        Some(time)
    })
}

fn iso_time(written: &str) -> Option<String> {
    let (date, time) = written.split_once([' ', 'T'])?;
    let numbers = |text: &str, separators: [char; 2]| -> Option<Vec<u32>> {
        text.trim().split(separators).map(|part| part.parse().ok()).collect()
    };
    let (date, time) = (numbers(date, [':', '-'])?, numbers(time, [':', ':'])?);
    let ([year, month @ 1..=12, day @ 1..=31], [hour @ 0..=23, minute @ 0..=59, second @ 0..=60]) =
        (&date[..], &time[..])
    else {
        return None;
    };
    (*year > 0).then(|| format!("{year:04}-{month:02}-{day:02}T{hour:02}:{minute:02}:{second:02}"))
}

fn camera(exif: &Exif) -> Option<String> {
    match (text(exif, Tag::Make), text(exif, Tag::Model)) {
        // Many models begin with their maker's name.
        (Some(make), Some(model)) => {
            let maker = make.split_whitespace().next().unwrap_or_default().to_lowercase();
            let repeats = model.to_lowercase().starts_with(&maker);
            Some(if repeats { model } else { format!("{make} {model}") })
        }
        (make, model) => model.or(make),
    }
}

#[cfg(test)]
mod tests {
    use exif::{Field, experimental::Writer};

    use super::*;

    fn block(texts: &[(Tag, &str)]) -> Vec<u8> {
        let fields: Vec<Field> = texts
            .iter()
            .map(|&(tag, text)| {
                let value = Value::Ascii(vec![text.as_bytes().to_vec()]);
                Field { tag, ifd_num: In::PRIMARY, value }
            })
            .collect();
        let mut writer = Writer::new();
        fields.iter().for_each(|field| writer.push_field(field));
        let mut bytes = std::io::Cursor::new(Vec::new());
        writer.write(&mut bytes, false).unwrap();
        bytes.into_inner()
    }

    #[test]
    fn times_and_cameras_are_told_as_they_were_written() {
        let full = facts(&block(&[
            (Tag::Make, "Drying Cam "),
            (Tag::Model, "drying cam 2\0"),
            (Tag::DateTime, "2026:07:15 10:00:00"),
            (Tag::DateTimeOriginal, "2026:07:14 09:30:05"),
            (Tag::SubSecTimeOriginal, "25"),
            (Tag::OffsetTimeOriginal, "+02:00"),
        ]));
        assert_eq!(full.captured.as_deref(), Some("2026-07-14T09:30:05.25+02:00"));
        assert_eq!(full.camera.as_deref(), Some("drying cam 2"));
        for no_time in ["0000:00:00 00:00:00", "    :  :     :  :  ", "2026:13:01 00:00:00", "x"] {
            assert_eq!(facts(&block(&[(Tag::DateTime, no_time)])).captured, None, "{no_time}");
        }
        assert_eq!(facts(b"no block"), ExifFacts::default());
    }
}
