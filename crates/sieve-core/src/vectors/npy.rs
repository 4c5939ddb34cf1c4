//! Arrays of NumPy (format 1.0 to 3.0): a head that says what follows, then the values.

use std::io::Read;

use super::{MOST_LENGTH, MOST_VALUES};

const MAGIC: &[u8] = b"\x93NUMPY";
/// Bytes of the head, at most: that of a plain array has a hundred.
const MOST_HEAD: usize = 1 << 16;

/// The rows of an array of two dimensions.
///
/// # Errors
///
/// What is wrong with it, as the end of a sentence.
pub fn read(from: &mut dyn Read) -> Result<Vec<Vec<f32>>, String> {
    let cut = |_: std::io::Error| "it ends too early".to_owned();
    let mut start = [0u8; 8];
    from.read_exact(&mut start).map_err(cut)?;
    if &start[..6] != MAGIC {
        return Err("it is not a NumPy array".to_owned());
    }
    let length = match start[6] {
        1 => {
            let mut bytes = [0u8; 2];
            from.read_exact(&mut bytes).map_err(cut)?;
            usize::from(u16::from_le_bytes(bytes))
        }
        2 | 3 => {
            let mut bytes = [0u8; 4];
            from.read_exact(&mut bytes).map_err(cut)?;
            u32::from_le_bytes(bytes) as usize
        }
        other => return Err(format!("it is a NumPy array of the unknown version {other}")),
    };
    if length > MOST_HEAD {
        return Err("its head is too long".to_owned());
    }
    let mut head = vec![0u8; length];
    from.read_exact(&mut head).map_err(cut)?;
    let head = String::from_utf8_lossy(&head);
    let kind = value(&head, "descr").ok_or("its head names no type")?;
    let kind = Number::named(kind.trim_matches(['\'', '"']))
        .ok_or_else(|| format!("its values are {kind}; expected float16, float32 or float64"))?;
    if value(&head, "fortran_order") != Some("False") {
        return Err("its values stand column by column; save it in C order".to_owned());
    }
    let shape = value(&head, "shape").ok_or("its head names no shape")?;
    let sides: Option<Vec<u64>> = shape
        .trim_matches(['(', ')'])
        .split(',')
        .map(str::trim)
        .filter(|side| !side.is_empty())
        .map(|side| side.parse().ok())
        .collect();
    let Some(&[rows, columns]) = sides.as_deref() else {
        return Err(format!("its shape is {shape}; expected two dimensions"));
    };
    if columns == 0 || columns > MOST_LENGTH as u64 {
        return Err(format!("its vectors have {columns} numbers; expected 1 to {MOST_LENGTH}"));
    }
    if rows.saturating_mul(columns) > MOST_VALUES {
        return Err(format!("it has {rows} x {columns} values, more than {MOST_VALUES}"));
    }
    let mut bytes = vec![0u8; columns as usize * kind.bytes];
    let mut all = Vec::new();
    for _ in 0..rows {
        from.read_exact(&mut bytes).map_err(cut)?;
        all.push(bytes.chunks_exact(kind.bytes).map(|value| kind.value(value)).collect());
    }
    match from.read(&mut [0u8]) {
        Ok(0) => Ok(all),
        _ => Err("more bytes follow its values".to_owned()),
    }
}

/// The value of a key of the head, which is a literal of Python: a word in quotes, a list in brackets, or a word.
fn value<'h>(head: &'h str, key: &str) -> Option<&'h str> {
    let start = ['\'', '"'].iter().find_map(|quote| {
        let key = format!("{quote}{key}{quote}");
        Some(head.find(&key)? + key.len())
    })?;
    let rest = head[start..].trim_start().strip_prefix(':')?.trim_start();
    let end = match rest.chars().next()? {
        quote @ ('\'' | '"') => rest[1..].find(quote)? + 2,
        '(' => rest.find(')')? + 1,
        _ => rest.find([',', '}']).unwrap_or(rest.len()),
    };
    Some(rest[..end].trim())
}

/// How a value is stored.
#[derive(Clone, Copy)]
struct Number {
    bytes: usize,
    is_big_endian: bool,
}

impl Number {
    fn named(name: &str) -> Option<Self> {
        let (order, kind) = name.split_at_checked(1)?;
        let bytes = match kind {
            "f2" => 2,
            "f4" => 4,
            "f8" => 8,
            _ => return None,
        };
        match order {
            "<" | "=" => Some(Number { bytes, is_big_endian: false }),
            ">" => Some(Number { bytes, is_big_endian: true }),
            _ => None,
        }
    }

    fn value(self, bytes: &[u8]) -> f32 {
        let mut value = [0u8; 8];
        let value = &mut value[..self.bytes];
        value.copy_from_slice(bytes);
        if self.is_big_endian {
            value.reverse();
        }
        match *value {
            [a, b] => half(u16::from_le_bytes([a, b])),
            [a, b, c, d] => f32::from_le_bytes([a, b, c, d]),
            [a, b, c, d, e, f, g, h] => f64::from_le_bytes([a, b, c, d, e, f, g, h]) as f32,
            _ => f32::NAN,
        }
    }
}

/// A number of 16 bits (IEEE 754 binary16).
fn half(bits: u16) -> f32 {
    let sign = if bits >> 15 == 1 { -1.0 } else { 1.0 };
    let (exponent, fraction) = ((bits >> 10) & 31, f32::from(bits & 1023));
    sign * match exponent {
        0 => fraction * 2.0f32.powi(-24),
        31 if fraction == 0.0 => f32::INFINITY,
        31 => f32::NAN,
        _ => (1.0 + fraction / 1024.0) * 2.0f32.powi(i32::from(exponent) - 15),
    }
}

#[cfg(test)]
pub mod tests {
    use super::*;

    /// An array of version 1.0.
    pub fn array(kind: &str, shape: &str, values: &[u8]) -> Vec<u8> {
        let head = format!("{{'descr': '{kind}', 'fortran_order': False, 'shape': {shape}, }}\n");
        let length = (head.len() as u16).to_le_bytes();
        [MAGIC, &[1, 0], &length, head.as_bytes(), values].concat()
    }

    #[test]
    fn numbers_of_every_width_are_read() {
        let read_of = |bytes: Vec<u8>| read(&mut &bytes[..]);
        let halves = [0x3c00u16, 0xc000, 0x0001, 0x7c00].map(u16::to_le_bytes).concat();
        let rows = read_of(array("<f2", "(2, 2)", &halves)).unwrap();
        assert_eq!(rows, [[1.0, -2.0], [2.0f32.powi(-24), f32::INFINITY]]);
        let doubles = [0.1f64, -2.0].map(f64::to_be_bytes).concat();
        assert_eq!(read_of(array(">f8", "(1, 2)", &doubles)).unwrap(), [[0.1f32, -2.0]]);
        assert_eq!(read_of(array("<f4", "(0, 3)", &[])).unwrap(), Vec::<Vec<f32>>::new());
        let wrong = |kind: &str, shape: &str, values: &[u8]| {
            read_of(array(kind, shape, values)).unwrap_err()
        };
        assert_eq!(
            wrong("<i8", "(1, 1)", &[0; 8]),
            "its values are '<i8'; expected float16, float32 or float64"
        );
        assert_eq!(wrong("<f4", "(4,)", &[0; 16]), "its shape is (4,); expected two dimensions");
        assert_eq!(wrong("<f4", "(2, 2)", &[0; 12]), "it ends too early");
        assert_eq!(wrong("<f4", "(1, 2)", &[0; 12]), "more bytes follow its values");
        // A head that promises more than there is allocates nothing for it.
        assert!(wrong("<f4", "(99999999999, 2)", &[]).contains("more than"));
        assert!(wrong("<f4", "(1, 0)", &[]).contains("0 numbers"));
        assert_eq!(read_of(b"no array at all".to_vec()).unwrap_err(), "it is not a NumPy array");
        assert_eq!(read_of(vec![]).unwrap_err(), "it ends too early");
    }
}
