//! INPUT: files that are no images, read whole but never without a bound.

use std::fs::{self, File};
use std::io::Read;
use std::path::Path;

use crate::{io_reason, parquet_table};

/// Greatest settings file or augmentation policy, in bytes: what people write by hand has kilobytes.
pub const MOST_SETTINGS_BYTES: u64 = 1 << 20;

/// Greatest table, in bytes: some four million rows of a path and a digest.
pub const MOST_TABLE_BYTES: u64 = 512 << 20;

/// Whether this is a file, and no link to one: a link could lead anywhere.
pub fn is_file(path: &Path) -> bool {
    path.symlink_metadata().is_ok_and(|facts| facts.is_file())
}

/// The bytes of `file`, which must be a regular file of at most `most_bytes`.
///
/// # Errors
///
/// What is wrong with the file, as the end of a sentence.
pub fn read(file: &Path, most_bytes: u64) -> Result<Vec<u8>, String> {
    let failed = |error: std::io::Error| io_reason(&error);
    // Asked before it is opened: to open a pipe waits for somebody who writes to it.
    let facts = fs::metadata(file).map_err(failed)?;
    if facts.is_dir() {
        return Err("it is a folder".to_owned());
    }
    if !facts.is_file() {
        return Err("it is not a regular file".to_owned());
    }
    let too_large = || format!("it is larger than {} MiB, the most that is read", most_bytes >> 20);
    if facts.len() > most_bytes {
        return Err(too_large());
    }
    let mut bytes = Vec::new();
    let opened = File::open(file).map_err(failed)?;
    opened.take(most_bytes + 1).read_to_end(&mut bytes).map_err(failed)?;
    if bytes.len() as u64 > most_bytes {
        return Err(too_large());
    }
    // Where a table is read, one in Parquet will do.
    if most_bytes == MOST_TABLE_BYTES && bytes.starts_with(parquet_table::MAGIC) {
        return parquet_table::to_csv(file, most_bytes);
    }
    Ok(bytes)
}

/// The same as text.
///
/// # Errors
///
/// As [`read`], and when the bytes are not UTF-8.
pub fn read_text(file: &Path, most_bytes: u64) -> Result<String, String> {
    let not_text = |error: std::string::FromUtf8Error| {
        format!("byte {} is not UTF-8", error.utf8_error().valid_up_to())
    };
    String::from_utf8(read(file, most_bytes)?).map_err(not_text)
}

/// Letters that an error repeats of what somebody wrote.
const MAX_ECHO: usize = 200;

/// Enough of a text that somebody wrote to know it again, for an error.
pub fn echoed(written: &str) -> String {
    match written.char_indices().nth(MAX_ECHO) {
        Some((end, _)) => format!("{} ...", &written[..end]),
        None => written.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_regular_files_within_the_bound_are_read() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("a.toml");
        std::fs::write(&file, "seed = 7").unwrap();
        assert_eq!(read_text(&file, 8).as_deref(), Ok("seed = 7"));
        let why = |file: &Path| read(file, 7).unwrap_err();
        assert_eq!(why(&file), "it is larger than 0 MiB, the most that is read");
        assert_eq!(why(folder.path()), "it is a folder");
        if cfg!(unix) {
            assert_eq!(why(Path::new("/dev/zero")), "it is not a regular file");
        }
        std::fs::write(&file, b"a\xff").unwrap();
        assert_eq!(read_text(&file, 8).unwrap_err(), "byte 1 is not UTF-8");
    }
}
