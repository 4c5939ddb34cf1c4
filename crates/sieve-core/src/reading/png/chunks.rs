//! The chunks of a PNG: how they end, and what they pack beside the image or behind its last pixel.

use std::io::Read;
use std::ops::Range;

use flate2::read::ZlibDecoder;

use crate::reading::ReadWarning;

/// How the chunks of a file end.
pub(super) enum End {
    /// With the end chunk, and this many bytes after it.
    Complete(u64),
    /// After a whole chunk that is not the end chunk.
    Missing,
    /// Inside a chunk.
    Inside,
}

/// What following the chunks of a file tells.
pub(super) struct Chunks {
    pub end: End,
    /// The name of the colour profile, which stands at the beginning of its chunk.
    pub profile: Option<Box<str>>,
    /// The data of the chunks of the image's stream.
    stream: Vec<Range<usize>>,
    /// Packed text and profiles: the name of the chunk, and where what is packed begins and ends.
    packed: Vec<([u8; 4], Range<usize>)>,
}

/// Bytes that one packed text or profile may have unpacked before it is called out: profiles have a megabyte at
/// most, and nobody reads a text as long.
const MOST_PACKED_BYTES: u64 = 16 << 20;
/// What deflate makes of one byte at most (RFC 1951: 258 bytes of two bits).
const MOST_DEFLATED: u64 = 1032;
impl Chunks {
    /// Follows the chunks (length, name, data, sum); nothing is unpacked.
    pub fn new(bytes: &[u8]) -> Self {
        let (mut stream, mut packed) = (Vec::new(), Vec::new());
        let mut chunks =
            Chunks { end: End::Missing, profile: None, stream: Vec::new(), packed: Vec::new() };
        let mut at = 8; // behind the signature
        while at < bytes.len() {
            let header = bytes.get(at..at + 8);
            let length = header.map_or(usize::MAX, |header| {
                u32::from_be_bytes(header[..4].try_into().expect("4 bytes")) as usize
            });
            let data = at + 8;
            at = at.saturating_add(length).saturating_add(12);
            let Some(header) = header.filter(|_| at <= bytes.len()) else {
                chunks.end = End::Inside;
                break;
            };
            let content = &bytes[data..data + length];
            // Names, languages and methods end with a zero byte each; then comes what is packed.
            let behind = |zeros: usize, more: usize| {
                let ends = content.iter().enumerate().filter(|(_, byte)| **byte == 0);
                let start = ends.map(|(place, _)| place + 1).nth(zeros - 1)? + more;
                (start < length).then(|| data + start..data + length)
            };
            let name: [u8; 4] = header[4..].try_into().expect("4 bytes");
            match &name {
                b"IEND" => {
                    chunks.end = End::Complete((bytes.len() - at) as u64);
                    break;
                }
                b"IDAT" => stream.push(data..data + length),
                b"iCCP" => {
                    let text = content.split(|&byte| byte == 0).next().unwrap_or_default();
                    let text: String = text.iter().map(|&byte| byte as char).collect();
                    chunks.profile = Some(text.into());
                    packed.extend(behind(1, 1).map(|range| (name, range)));
                }
                b"zTXt" => packed.extend(behind(1, 1).map(|range| (name, range))),
                // Keyword, flag and method, language, keyword in it; the flag says whether it is packed.
                b"iTXt" => {
                    let flag = behind(1, 0).is_some_and(|range| bytes[range.start] == 1);
                    if let (true, Some(rest)) = (flag, behind(1, 2)) {
                        let ends = bytes[rest.clone()].iter().enumerate().filter(|(_, b)| **b == 0);
                        let start = ends.map(|(place, _)| rest.start + place + 1).nth(1);
                        packed.extend(start.map(|start| (name, start..rest.end)));
                    }
                }
                _ => {}
            }
        }
        Chunks { stream, packed, ..chunks }
    }

    /// A text or profile that unpacks to far more than anybody reads. Not much more than that is unpacked of all
    /// of them together.
    pub fn packed_beside(&self, bytes: &[u8]) -> Option<ReadWarning> {
        let mut left = 4 * MOST_PACKED_BYTES;
        for (name, range) in &self.packed {
            if range.len() as u64 * MOST_DEFLATED <= MOST_PACKED_BYTES {
                continue;
            }
            let (unpacked, _) = unpacked(&bytes[range.clone()], MOST_PACKED_BYTES + 1);
            left = left.saturating_sub(unpacked);
            if unpacked > MOST_PACKED_BYTES || left == 0 {
                let (name, most) = (String::from_utf8_lossy(name), MOST_PACKED_BYTES >> 20);
                return Some(ReadWarning::Suspect(format!(
                    "the chunk {name} unpacks to more than {most} MiB"
                )));
            }
        }
        None
    }

    /// What the stream of the pixels holds behind the last of them. `taken` bytes of the file were read when the
    /// last row came: of a sound stream the decoder has taken all by then, so that only others are unpacked once
    /// more. The rows have `expected` bytes unpacked.
    pub fn left_over(
        &self,
        bytes: &[u8],
        taken: Option<usize>,
        expected: u64,
    ) -> Option<ReadWarning> {
        let last = self.stream.last()?;
        if let Some(taken) = taken {
            let left = |range: &Range<usize>| range.end.saturating_sub(taken.max(range.start));
            let left = self.stream.iter().map(left).sum::<usize>();
            if left == 0 {
                return None;
            }
        }
        if last.is_empty() && self.stream.len() == 1 {
            return None;
        }
        let pieces: Vec<&[u8]> = self.stream.iter().map(|range| &bytes[range.clone()]).collect();
        let stream = pieces.concat();
        let most = expected.saturating_add(MOST_PACKED_BYTES);
        let (unpacked, taken) = unpacked(&stream, most);
        let at_least = if unpacked == most { "at least " } else { "" };
        let behind = (stream.len() as u64).saturating_sub(taken);
        let what = match unpacked.saturating_sub(expected) {
            0 if behind == 0 => return None,
            0 => format!("{behind} bytes follow its stream of pixels"),
            more => {
                format!("its stream of pixels has {at_least}{more} bytes more than the image")
            }
        };
        Some(ReadWarning::Suspect(what))
    }
}

/// How many bytes `packed` unpacks to, and how many of its own bytes that takes; no more than `most` are unpacked.
fn unpacked(packed: &[u8], most: u64) -> (u64, u64) {
    let mut count = 0;
    let mut decoder = ZlibDecoder::new(packed);
    let mut piece = vec![0; 1 << 16];
    // What is damaged counts as far as it goes.
    while let Ok(length @ 1..) = decoder.read(&mut piece[..(most - count).min(1 << 16) as usize]) {
        count += length as u64;
    }
    (count, decoder.total_in())
}
