//! Checksums as the tools of the system read and write them: `SHA256SUMS` for `sha256sum --check`.

use std::fmt;
use std::io::{self, Read};

use serde::{Serialize, Serializer};
use sha2::{Digest as _, Sha256};

/// A SHA-256 checksum, written as 64 hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Sha256Sum(pub [u8; 32]);

impl Sha256Sum {
    /// The checksum of some bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Sha256Sum(Sha256::digest(bytes).into())
    }

    /// The checksum of all that can be read, and how many bytes that were.
    ///
    /// # Errors
    ///
    /// When reading fails.
    pub fn of_reader(mut from: impl Read) -> io::Result<(Self, u64)> {
        let (mut hasher, mut bytes, mut all) = (Sha256::new(), vec![0u8; 1 << 18], 0);
        loop {
            match from.read(&mut bytes)? {
                0 => return Ok((Sha256Sum(hasher.finalize().into()), all)),
                read => {
                    hasher.update(&bytes[..read]);
                    all += read as u64;
                }
            }
        }
    }

    /// The checksum that is written as `text`; none where that is not 64 hexadecimal digits.
    pub fn from_hex(text: &str) -> Option<Self> {
        let digits = text.as_bytes().as_chunks::<2>();
        let mut sum = [0u8; 32];
        if digits.0.len() != sum.len() || !digits.1.is_empty() {
            return None;
        }
        for (byte, pair) in sum.iter_mut().zip(digits.0) {
            let [high, low] = pair.map(|digit| char::from(digit).to_digit(16));
            *byte = (high? * 16 + low?) as u8;
        }
        Some(Sha256Sum(sum))
    }
}

impl fmt::Display for Sha256Sum {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for Sha256Sum {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl Serialize for Sha256Sum {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

/// The lines of a file of checksums, in the order of their paths. A path with a line break or backslash is escaped and its line
/// begins with a backslash, as GNU coreutils do it; bytes that are not UTF-8 stand as they are.
pub fn lines<'a>(sums: impl IntoIterator<Item = (&'a [u8], Sha256Sum)>) -> Vec<u8> {
    let mut sums: Vec<(&[u8], Sha256Sum)> = sums.into_iter().collect();
    sums.sort_unstable_by(|a, b| a.0.cmp(b.0));
    let mut lines = Vec::new();
    for (path, sum) in sums {
        let is_escaped = path.iter().any(|byte| b"\\\n\r".contains(byte));
        if is_escaped {
            lines.push(b'\\');
        }
        lines.extend_from_slice(sum.to_string().as_bytes());
        lines.extend_from_slice(b"  ");
        for &byte in path {
            match byte {
                b'\\' => lines.extend_from_slice(b"\\\\"),
                b'\n' => lines.extend_from_slice(b"\\n"),
                b'\r' => lines.extend_from_slice(b"\\r"),
                other => lines.push(other),
            }
        }
        lines.push(b'\n');
    }
    lines
}

/// The path and checksum of each line.
///
/// # Errors
///
/// Which line is none.
pub fn parse(text: &[u8]) -> Result<Vec<(Vec<u8>, Sha256Sum)>, String> {
    let mut sums = Vec::new();
    for (number, line) in (1..).zip(text.split(|&byte| byte == b'\n')) {
        let line = line.strip_suffix(b"\r").unwrap_or(line);
        if line.is_empty() {
            continue;
        }
        let wrong = || format!("line {number} is not a checksum, two spaces and a path");
        let escaped = line.strip_prefix(b"\\");
        let (sum, path) = escaped.unwrap_or(line).split_at_checked(64).ok_or_else(wrong)?;
        let sum = std::str::from_utf8(sum).ok().and_then(Sha256Sum::from_hex).ok_or_else(wrong)?;
        // Two spaces, or a space and an asterisk for a file that was read as binary.
        let path =
            path.strip_prefix(b"  ").or_else(|| path.strip_prefix(b" *")).ok_or_else(wrong)?;
        let path =
            if escaped.is_some() { unescaped(path).ok_or_else(wrong)? } else { path.to_vec() };
        if path.is_empty() {
            return Err(wrong());
        }
        sums.push((path, sum));
    }
    Ok(sums)
}

fn unescaped(path: &[u8]) -> Option<Vec<u8>> {
    let (mut plain, mut bytes) = (Vec::new(), path.iter());
    while let Some(&byte) = bytes.next() {
        plain.push(match (byte, byte == b'\\') {
            (_, false) => byte,
            (_, true) => match bytes.next()? {
                b'n' => b'\n',
                b'r' => b'\r',
                b'\\' => b'\\',
                _ => return None,
            },
        });
    }
    Some(plain)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn lines_are_those_of_the_standard_tool() {
        // printf abc | sha256sum
        let known = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";
        let sum = Sha256Sum::of(b"abc");
        assert_eq!(sum.to_string(), known);
        assert_eq!(Sha256Sum::of_reader(&b"abc"[..]).unwrap(), (sum, 3));
        let text = lines([(b"b".as_slice(), sum), (b"a\nc", sum)]);
        assert_eq!(text, format!("\\{known}  a\\nc\n{known}  b\n").as_bytes());
        assert_eq!(parse(format!("{known} *x\r\n").as_bytes()).unwrap(), [(b"x".to_vec(), sum)]);
        for wrong in ["abc  x", &known[1..], &format!("{known} x"), &format!("\\{known}  a\\t")] {
            assert_eq!(
                parse(format!("{known}  y\n{wrong}\n").as_bytes()).unwrap_err(),
                "line 2 is not a checksum, two spaces and a path"
            );
        }
    }

    proptest! {
        #[test]
        fn what_is_written_is_read(paths in prop::collection::btree_set("[a-c\\\\\n\r /]{1,6}", 0..8)) {
            let sums: Vec<(Vec<u8>, Sha256Sum)> = paths
                .iter()
                .map(|path| (path.clone().into_bytes(), Sha256Sum::of(path.as_bytes())))
                .collect();
            let text = lines(sums.iter().map(|(path, sum)| (path.as_slice(), *sum)));
            prop_assert_eq!(parse(&text).unwrap(), sums);
        }
    }
}
