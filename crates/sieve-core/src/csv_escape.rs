//! CELLS: what stands in the cells of our tables, so that a spreadsheet runs nothing and our reader gets back
//! exactly what was meant.
//!
//! Two escapes, and no others; an ordinary cell is written as it is.
//!
//! * Text that begins with `=`, `+`, `-`, `@`, a tab or a carriage return would be run as a formula by
//!   spreadsheets. It gets an apostrophe before it. So that this can be undone, text that begins with
//!   apostrophes and goes on in such a way gets one more.
//! * A path is bytes, a cell is text: each byte that is not UTF-8 is written as `\xHH`. So that this can be
//!   undone, a `\` that stands before `xHH` in the path itself is written as `\x5c`.

use std::borrow::Cow;
use std::path::PathBuf;

use crate::files::{RelPath, native_of_bytes};

/// What an apostrophe is put before.
fn would_run(text: &str) -> bool {
    text.trim_start_matches('\'').starts_with(['=', '+', '-', '@', '\t', '\r'])
}

/// `text` as a cell that no spreadsheet runs.
///
/// ```
/// # use sieve_core::csv_escape::{guarded, unguarded};
/// assert_eq!(guarded("=1+1.png"), "'=1+1.png");
/// assert_eq!(guarded("sage.png"), "sage.png");
/// assert_eq!(unguarded("'=1+1.png"), "=1+1.png");
/// ```
pub fn guarded(text: &str) -> Cow<'_, str> {
    if would_run(text) { Cow::Owned(format!("'{text}")) } else { Cow::Borrowed(text) }
}

/// The text that [`guarded`] made a cell of.
pub fn unguarded(cell: &str) -> &str {
    match cell.strip_prefix('\'') {
        Some(text) if would_run(text) => text,
        _ => cell,
    }
}

/// A path as text that [`path_of`] makes the same path of; not guarded yet.
pub fn of_path(path: &RelPath) -> String {
    let mut text = String::new();
    for chunk in path.native_bytes().utf8_chunks() {
        let mut rest = chunk.valid();
        while let Some(at) = rest.find('\\') {
            let (before, here) = rest.split_at(at);
            text.push_str(before);
            text.push_str(if escaped_byte(here).is_some() { "\\x5c" } else { "\\" });
            rest = &here[1..];
        }
        text.push_str(rest);
        chunk.invalid().iter().for_each(|byte| text.push_str(&format!("\\x{byte:02x}")));
    }
    text
}

/// The path that [`of_path`] made text of.
pub fn path_of(text: &str) -> PathBuf {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('\\') {
        let (before, here) = rest.split_at(at);
        bytes.extend_from_slice(before.as_bytes());
        let (byte, length) = escaped_byte(here).map_or((b'\\', 1), |byte| (byte, 4));
        bytes.push(byte);
        rest = &here[length..];
    }
    bytes.extend_from_slice(rest.as_bytes());
    native_of_bytes(&bytes)
}

/// The byte that `\xHH` at the beginning of `text` stands for.
fn escaped_byte(text: &str) -> Option<u8> {
    let digits = text.strip_prefix("\\x")?.get(..2)?;
    let is_hexadecimal = digits.bytes().all(|byte| byte.is_ascii_hexdigit());
    is_hexadecimal.then(|| u8::from_str_radix(digits, 16).expect("two hexadecimal digits"))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn only_what_would_be_run_or_misread_is_changed() {
        let table = [
            ("sage.png", "sage.png"),
            ("'quoted'.png", "'quoted'.png"),
            ("=1+1", "'=1+1"),
            ("'=1+1", "''=1+1"),
            ("-5", "'-5"),
            ("\tcell", "'\tcell"),
            ("a=b", "a=b"),
        ];
        for (text, cell) in table {
            assert_eq!(guarded(text), cell);
            assert_eq!(unguarded(cell), text);
        }
        let path = |text: &str| of_path(&RelPath::new(text.as_ref()));
        assert_eq!(path("rack\\sage.png"), "rack\\sage.png");
        assert_eq!(path("a\\xff.png"), "a\\x5cxff.png");
    }

    proptest! {
        #[test]
        fn cells_and_paths_come_back_as_they_went(
            text in r"['=+\-@\t\ra ]{0,6}",
            bytes in proptest::collection::vec(
                prop_oneof![Just(b'\\'), Just(b'x'), Just(b'5'), Just(b'c'), 1..=255u8], 1..12
            ),
        ) {
            let cell = guarded(&text);
            prop_assert_eq!(unguarded(&cell), text.as_str());
            prop_assert!(!cell.starts_with(['=', '+', '-', '@', '\t', '\r']));
            let path = RelPath::new(&native_of_bytes(&bytes));
            if cfg!(unix) {
                let back = path_of(&of_path(&path));
                prop_assert_eq!(back.as_os_str().as_encoded_bytes(), bytes.as_slice());
            }
        }
    }
}
