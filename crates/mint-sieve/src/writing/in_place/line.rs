//! The lines of a journal: each says how long it is and what its checksum is, so that damage is never taken for what was
//! written, and a line that was cut off by a kill is never taken for a whole one.

use sieve_core::measuring::Digest;

/// Hexadecimal digits of a line's checksum.
const CHECKSUM_DIGITS: usize = 16;

/// `LENGTH CHECKSUM CONTENT`, with its end of line. The checksum begins the BLAKE3 digest of the content.
pub fn sealed(content: &str) -> String {
    format!("{} {} {content}\n", content.len(), checksum(content.as_bytes()))
}

fn checksum(content: &[u8]) -> String {
    Digest::of_bytes(content).to_string()[..CHECKSUM_DIGITS].to_owned()
}

/// The content of a line without its end; none where it is damaged.
fn opened(line: &[u8]) -> Option<&str> {
    let line = std::str::from_utf8(line).ok()?;
    let (length, rest) = line.split_once(' ')?;
    let (sum, content) = rest.split_once(' ')?;
    let is_whole = length == content.len().to_string() && sum == checksum(content.as_bytes());
    is_whole.then_some(content)
}

/// The lines of a journal.
pub struct Lines<'a> {
    /// The number of each intact line, from 1, and its content.
    pub intact: Vec<(usize, &'a str)>,
    /// The numbers of damaged lines other than one that was cut off at the end.
    pub damaged: Vec<usize>,
    /// Bytes up to the end of the last intact line: what is appended goes here.
    pub end: u64,
}

/// Takes a journal apart. Only the last line may be cut off: the kill came while it was written.
pub fn lines(bytes: &[u8]) -> Lines<'_> {
    let mut lines = Lines { intact: Vec::new(), damaged: Vec::new(), end: 0 };
    let mut at = 0;
    let mut broken: Vec<usize> = Vec::new();
    for (number, line) in (1..).zip(bytes.split_inclusive(|&byte| byte == b'\n')) {
        at += line.len() as u64;
        let whole = line.strip_suffix(b"\n");
        match whole.and_then(opened) {
            Some(content) => {
                lines.damaged.append(&mut broken);
                lines.intact.push((number, content));
                lines.end = at;
            }
            None => broken.push(number),
        }
    }
    // A line that has its end was written to it.
    let is_torn = broken.len() == 1 && !bytes.ends_with(b"\n");
    if !is_torn {
        lines.damaged.append(&mut broken);
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_changed_byte_is_noticed_and_only_the_end_may_be_cut() {
        let whole: String = ["head", "{\"a\":1}", "", "ende"].map(sealed).concat();
        let read = lines(whole.as_bytes());
        let contents: Vec<&str> = read.intact.iter().map(|(_, content)| *content).collect();
        assert_eq!(contents, ["head", "{\"a\":1}", "", "ende"]);
        assert!(read.damaged.is_empty() && read.end == whole.len() as u64);
        for at in 0..whole.len() {
            let mut bytes = whole.clone().into_bytes();
            bytes[at] ^= 0x04;
            let read = lines(&bytes);
            assert!(read.intact.len() < 4, "byte {at}");
            let was_last = whole.as_bytes()[at] == b'\n' && at + 1 == whole.len();
            assert_eq!(read.damaged.is_empty(), was_last, "byte {at}");
            let cut = lines(&whole.as_bytes()[..at]);
            assert!(cut.damaged.is_empty(), "cut at {at}");
            assert!(cut.intact.len() < 4 && cut.end <= at as u64);
        }
    }
}
