//! PNM: PBM, PGM and PPM as text or binary, and PAM (netpbm.sourceforge.net, pnm(5) and pam(5)).

use super::memory::{no_memory, reserve};
use super::pixel_rows::DecodeRequest;
use super::{ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning};

/// What stands before the samples.
#[derive(Debug)]
struct Header {
    width: u32,
    height: u32,
    /// Samples of a pixel, 1 to 4.
    depth: u32,
    /// The sample that stands for white, or for opaque.
    max: u32,
    samples: Samples,
    /// Where the samples begin.
    start: usize,
}

/// How samples are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Samples {
    /// Decimal numbers.
    Text,
    /// The digits 0 and 1, with or without space between them; 1 is black.
    TextBits,
    /// One bit each, rows padded to whole bytes; 1 is black.
    Bits,
    /// One byte each, or two of which the first counts more.
    Bytes,
}

/// Reads an image.
///
/// # Errors
///
/// Why it gives no image.
pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let header = header(bytes)?;
    limits.admit(header.width, header.height, u64::from(header.sample_bytes() * header.depth))?;
    let pixels = u64::from(header.width) * u64::from(header.height);
    let held = limits.memory.decode(pixels * 7);
    let body = bytes.get(header.start..).ok_or_else(cut_short)?;
    let count = usize::try_from(pixels * u64::from(header.depth)).map_err(|_| no_memory())?;
    let samples = match header.samples {
        Samples::Text => numbers(body, count, header.max)?,
        Samples::TextBits => text_bits(body, count)?,
        Samples::Bits => bits(body, &header, count)?,
        Samples::Bytes => levels(body, &header, count)?,
    };
    let (width_px, height_px) = (header.width, header.height);
    let depth = header.depth as usize;
    let pixels = Pixels::from_levels(width_px, height_px, depth, samples, request.ground)?;
    let read_warnings = match header.end() {
        Some(end) if end < bytes.len() => {
            vec![ReadWarning::TrailingBytes((bytes.len() - end) as u64)]
        }
        _ => Vec::new(),
    };
    let colour = match header.depth {
        1 => ColourMode::Grey,
        2 => ColourMode::GreyAlpha,
        3 => ColourMode::Rgb,
        _ => ColourMode::Rgba,
    };
    let bits = match header.max {
        1 => 1,
        ..=255 => 8,
        _ => 16,
    };
    let facts = Facts::of_pixels(Format::Pnm, width_px, height_px, colour, bits);
    Ok(DecodedImage { facts, read_warnings, pixels: request.take(pixels), held })
}

impl Header {
    fn sample_bytes(&self) -> u32 {
        if self.max > 255 { 2 } else { 1 }
    }

    fn row_bytes(&self) -> u64 {
        match self.samples {
            Samples::Bits => u64::from(self.width).div_ceil(8),
            _ => u64::from(self.width) * u64::from(self.depth * self.sample_bytes()),
        }
    }

    /// The end of a binary file; text may be followed by anything.
    fn end(&self) -> Option<usize> {
        match self.samples {
            Samples::Text | Samples::TextBits => None,
            Samples::Bits | Samples::Bytes => {
                Some(self.start + (self.row_bytes() * u64::from(self.height)) as usize)
            }
        }
    }
}

fn cut_short() -> ReadError {
    ReadError::Truncated(Format::Pnm, "the file ends before its image does".to_owned())
}

fn damaged(reason: &str) -> ReadError {
    ReadError::Damaged(Format::Pnm, reason.to_owned())
}

fn header(bytes: &[u8]) -> Result<Header, ReadError> {
    let kind = bytes.get(1).copied().ok_or_else(cut_short)?;
    if kind == b'7' {
        return pam_header(bytes);
    }
    let has_max = !matches!(kind, b'1' | b'4');
    let mut at = 2;
    let mut number = || number_at(bytes, &mut at);
    let (width, height) = (number()?, number()?);
    let max = if has_max { number()? } else { 1 };
    let samples = match kind {
        b'1' => Samples::TextBits,
        b'2' | b'3' => Samples::Text,
        b'4' => Samples::Bits,
        _ => Samples::Bytes,
    };
    let depth = if matches!(kind, b'3' | b'6') { 3 } else { 1 };
    // One white space ends the header.
    checked(Header { width, height, depth, max, samples, start: at + 1 })
}

/// The next number from `at` on, which moves behind it; white space and comments may come before it.
fn number_at(bytes: &[u8], at: &mut usize) -> Result<u32, ReadError> {
    loop {
        let rest = bytes.get(*at..).filter(|rest| !rest.is_empty()).ok_or_else(cut_short)?;
        match rest[0] {
            b'#' => *at += rest.iter().take_while(|&&byte| byte != b'\n').count(),
            byte if byte.is_ascii_whitespace() => *at += 1,
            byte if byte.is_ascii_digit() => {
                let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
                *at += digits;
                let text = std::str::from_utf8(&rest[..digits]).unwrap_or_default();
                return text.parse().map_err(|_| damaged("a number is too large"));
            }
            _ => return Err(damaged("the header holds something else than numbers")),
        }
    }
}

fn pam_header(bytes: &[u8]) -> Result<Header, ReadError> {
    const LAST_LINE: &[u8] = b"ENDHDR\n";
    // A header is a few short lines.
    let begin = &bytes[..bytes.len().min(1 << 16)];
    let length = begin.windows(LAST_LINE.len()).position(|window| window == LAST_LINE);
    let length = length.ok_or_else(cut_short)?;
    let text =
        std::str::from_utf8(&begin[..length]).map_err(|_| damaged("the header is not text"))?;
    let number = |word: &str| {
        let value = text.lines().find_map(|line| line.strip_prefix(word)?.trim().parse().ok());
        value.ok_or_else(|| damaged("the header lacks a number"))
    };
    checked(Header {
        width: number("WIDTH")?,
        height: number("HEIGHT")?,
        depth: number("DEPTH")?,
        max: number("MAXVAL")?,
        samples: Samples::Bytes,
        start: length + LAST_LINE.len(),
    })
}

fn checked(header: Header) -> Result<Header, ReadError> {
    if !(1..=65_535).contains(&header.max) {
        return Err(damaged("the greatest value is not within 1 to 65535"));
    }
    if !(1..=4).contains(&header.depth) {
        return Err(ReadError::Unsupported(format!("PNM with {} channels", header.depth)));
    }
    Ok(header)
}

/// A sample of 0 to `max` as a level of 0 to 255, to the nearest.
fn level(sample: u32, max: u32) -> u8 {
    ((sample.min(max) * 255 + max / 2) / max) as u8
}

fn numbers(body: &[u8], count: usize, max: u32) -> Result<Vec<u8>, ReadError> {
    let mut levels = reserve(count)?;
    let mut at = 0;
    for _ in 0..count {
        levels.push(level(number_at(body, &mut at)?, max));
    }
    Ok(levels)
}

fn text_bits(body: &[u8], count: usize) -> Result<Vec<u8>, ReadError> {
    let mut levels = reserve(count)?;
    for byte in body.iter().filter(|byte| !byte.is_ascii_whitespace()).take(count) {
        levels.push(match byte {
            b'0' => 255,
            b'1' => 0,
            _ => return Err(damaged("the pixels hold something else than 0 and 1")),
        });
    }
    if levels.len() < count { Err(cut_short()) } else { Ok(levels) }
}

/// The rows of a binary file, all of which must be there.
fn rows<'a>(body: &'a [u8], header: &Header) -> Result<std::slice::Chunks<'a, u8>, ReadError> {
    let row = usize::try_from(header.row_bytes()).map_err(|_| no_memory())?;
    let size = row.checked_mul(header.height as usize).ok_or_else(no_memory)?;
    Ok(body.get(..size).ok_or_else(cut_short)?.chunks(row.max(1)))
}

fn bits(body: &[u8], header: &Header, count: usize) -> Result<Vec<u8>, ReadError> {
    let rows = rows(body, header)?;
    let mut levels = reserve(count)?;
    for row in rows {
        let is_black = |column: usize| row[column / 8] >> (7 - column % 8) & 1 == 1;
        levels.extend((0..header.width as usize).map(|at| if is_black(at) { 0 } else { 255 }));
    }
    Ok(levels)
}

fn levels(body: &[u8], header: &Header, count: usize) -> Result<Vec<u8>, ReadError> {
    let rows = rows(body, header)?;
    let mut levels = reserve(count)?;
    for row in rows {
        if header.max > 255 {
            let samples = row.as_chunks().0.iter().map(|&pair| u16::from_be_bytes(pair));
            levels.extend(samples.map(|sample| level(sample.into(), header.max)));
        } else {
            levels.extend(row.iter().map(|&sample| level(sample.into(), header.max)));
        }
    }
    Ok(levels)
}
