//! One open file, read at many places by many threads.

use std::fs::File;
use std::io::{Read, Result, Seek, SeekFrom};
use std::sync::Arc;

/// Bytes read ahead: archives' headers are read a few bytes at a time.
const WINDOW_BYTES: usize = 1 << 15;

/// A reader with a place of its own in a file that is shared. Cloning is cheap.
#[derive(Debug)]
pub(super) struct SharedFile {
    file: Arc<File>,
    size_bytes: u64,
    at: u64,
    window: Vec<u8>,
    window_start: u64,
}

impl SharedFile {
    pub fn new(file: File) -> Result<Self> {
        let size_bytes = file.metadata()?.len();
        let file = Arc::new(file);
        Ok(SharedFile { file, size_bytes, at: 0, window: Vec::new(), window_start: 0 })
    }
}

impl Clone for SharedFile {
    fn clone(&self) -> Self {
        SharedFile { file: Arc::clone(&self.file), window: Vec::new(), ..*self }
    }
}

impl Read for SharedFile {
    fn read(&mut self, into: &mut [u8]) -> Result<usize> {
        let ahead = self.at.checked_sub(self.window_start).map_or(usize::MAX, |gap| gap as usize);
        if let Some(rest) = self.window.get(ahead..).filter(|rest| !rest.is_empty()) {
            let count = rest.len().min(into.len());
            into[..count].copy_from_slice(&rest[..count]);
            self.at += count as u64;
            return Ok(count);
        }
        if into.len() >= WINDOW_BYTES {
            let count = read_at(&self.file, into, self.at)?;
            self.at += count as u64;
            return Ok(count);
        }
        self.window.resize(WINDOW_BYTES, 0);
        let count = read_at(&self.file, &mut self.window, self.at)?;
        self.window.truncate(count);
        self.window_start = self.at;
        if count == 0 { Ok(0) } else { self.read(into) }
    }
}

impl Seek for SharedFile {
    fn seek(&mut self, to: SeekFrom) -> Result<u64> {
        let (base, by) = match to {
            SeekFrom::Start(at) => (at, 0),
            SeekFrom::End(by) => (self.size_bytes, by),
            SeekFrom::Current(by) => (self.at, by),
        };
        let before = std::io::Error::new(std::io::ErrorKind::InvalidInput, "before the beginning");
        self.at = base.checked_add_signed(by).ok_or(before)?;
        Ok(self.at)
    }
}

#[cfg(unix)]
fn read_at(file: &File, into: &mut [u8], at: u64) -> Result<usize> {
    std::os::unix::fs::FileExt::read_at(file, into, at)
}

#[cfg(windows)]
fn read_at(file: &File, into: &mut [u8], at: u64) -> Result<usize> {
    std::os::windows::fs::FileExt::seek_read(file, into, at)
}
