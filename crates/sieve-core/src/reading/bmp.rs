//! BMP: palettes, 16 to 32 bits with masks, run lengths (Microsoft, "Bitmap Storage" of the Windows API).

use super::memory::{no_memory, reserve, zeros};
use super::pixel_rows::DecodeRequest;
use super::{ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning};

/// Bytes of the file's own header, before that of the image.
const FILE_HEADER: usize = 14;
/// Size of the oldest header, whose sides have 16 bits.
const CORE_HEADER: u32 = 12;
/// Size of the header that everything later begins with.
const INFO_HEADER: u32 = 40;

/// How pixels are packed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Packing {
    /// Rows of whole pixels.
    Plain,
    /// Runs of indices of this many bits, 4 or 8.
    Runs(u8),
}

#[derive(Debug)]
struct Header {
    width: u32,
    height: u32,
    /// Whether the first row is the upper one.
    is_top_down: bool,
    /// Bits of a pixel.
    bits: u8,
    packing: Packing,
    /// Which bits of a pixel are red, green, blue and alpha; of pixels that are no indices.
    masks: [u32; 4],
    palette: Vec<[u8; 3]>,
    /// Where the pixels begin.
    start: usize,
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
    let has_alpha = header.masks[3] != 0;
    limits.admit(header.width, header.height, if has_alpha { 4 } else { 3 })?;
    let held = limits.memory.decode(u64::from(header.width) * u64::from(header.height) * 7);
    let pixels = match header.packing {
        Packing::Plain => plain(bytes, &header, request)?,
        Packing::Runs(bits) => runs(bytes, &header, bits)?,
    };
    let (colour, bits) = match header.bits {
        bits @ ..=8 => (ColourMode::Palette, bits),
        _ if has_alpha => (ColourMode::Rgba, 8),
        _ => (ColourMode::Rgb, 8),
    };
    let facts = Facts::of_pixels(Format::Bmp, header.width, header.height, colour, bits);
    let read_warnings = match end(bytes, &header) {
        Some(end) if end < bytes.len() => {
            vec![ReadWarning::TrailingBytes((bytes.len() - end) as u64)]
        }
        _ => Vec::new(),
    };
    Ok(DecodedImage { facts, read_warnings, pixels: request.take(pixels), held })
}

fn cut_short() -> ReadError {
    ReadError::Truncated(Format::Bmp, "the file ends before its image does".to_owned())
}

fn damaged(reason: &str) -> ReadError {
    ReadError::Damaged(Format::Bmp, reason.to_owned())
}

fn u16_at(bytes: &[u8], offset: usize) -> Result<u16, ReadError> {
    let found = bytes.get(offset..).and_then(|rest| rest.first_chunk());
    found.map(|&raw| u16::from_le_bytes(raw)).ok_or_else(cut_short)
}

fn u32_at(bytes: &[u8], offset: usize) -> Result<u32, ReadError> {
    let found = bytes.get(offset..).and_then(|rest| rest.first_chunk());
    found.map(|&raw| u32::from_le_bytes(raw)).ok_or_else(cut_short)
}

fn header(bytes: &[u8]) -> Result<Header, ReadError> {
    let size = u32_at(bytes, FILE_HEADER)?;
    let is_core = size == CORE_HEADER;
    if !is_core && size < INFO_HEADER {
        return Err(ReadError::Unsupported(format!("BMP variety: a header of {size} bytes")));
    }
    let (width, height, bits) = if is_core {
        (u16_at(bytes, 18)?.into(), u16_at(bytes, 20)?.into(), u16_at(bytes, 24)?)
    } else {
        (u32_at(bytes, 18)?.cast_signed(), u32_at(bytes, 22)?.cast_signed(), u16_at(bytes, 28)?)
    };
    let width = u32::try_from(width).map_err(|_| damaged("its width is below 0"))?;
    let compression = if is_core { 0 } else { u32_at(bytes, 30)? };
    let packing = match (compression, bits) {
        (0, 1 | 2 | 4 | 8 | 16 | 24 | 32) | (3 | 6, 16 | 32) => Packing::Plain,
        (1, 8) => Packing::Runs(8),
        (2, 4) => Packing::Runs(4),
        _ => {
            return Err(ReadError::Unsupported(format!(
                "BMP variety: {bits} bits, compression {compression}"
            )));
        }
    };
    let masks = match (compression, bits) {
        (3 | 6, _) => {
            // Behind the header of 40 bytes or within a longer one, which is the same place.
            let has_alpha = compression == 6 || size >= 56;
            let mask = |at: usize| u32_at(bytes, FILE_HEADER + INFO_HEADER as usize + 4 * at);
            [mask(0)?, mask(1)?, mask(2)?, if has_alpha { mask(3)? } else { 0 }]
        }
        (_, 16) => [0x7C00, 0x03E0, 0x001F, 0],
        _ => [0x00FF_0000, 0x0000_FF00, 0x0000_00FF, 0],
    };
    Ok(Header {
        width,
        height: height.unsigned_abs(),
        is_top_down: height < 0,
        bits: bits as u8,
        packing,
        masks,
        palette: if bits <= 8 { palette(bytes, size, bits)? } else { Vec::new() },
        start: u32_at(bytes, 10)? as usize,
    })
}

/// The colours of a palette of up to 8 bits, as many as the header names.
fn palette(bytes: &[u8], size: u32, bits: u16) -> Result<Vec<[u8; 3]>, ReadError> {
    let is_core = size == CORE_HEADER;
    let most = 1usize << bits;
    let named = if is_core { 0 } else { u32_at(bytes, 46)? as usize };
    let colours = if named == 0 { most } else { named.min(most) };
    let entry = if is_core { 3 } else { 4 };
    let start = FILE_HEADER + size as usize;
    // A file may have fewer than its kind has room for, and then its pixels.
    let room = (u32_at(bytes, 10)? as usize).saturating_sub(start) / entry;
    let end = start + colours.min(room) * entry;
    let entries = bytes.get(start..end).ok_or_else(cut_short)?.chunks_exact(entry);
    Ok(entries.map(|bgr| [bgr[2], bgr[1], bgr[0]]).collect())
}

fn row_bytes(header: &Header) -> u64 {
    (u64::from(header.width) * u64::from(header.bits)).div_ceil(32) * 4
}

/// The end of the image: the larger of the size that the header states, which many encoders get wrong, and the end of
/// its rows. Not known of runs.
fn end(bytes: &[u8], header: &Header) -> Option<usize> {
    let rows = row_bytes(header).checked_mul(u64::from(header.height))? + header.start as u64;
    let stated = u32_at(bytes, 2).ok()?;
    (header.packing == Packing::Plain).then(|| rows.max(u64::from(stated)) as usize)
}

/// A channel of a pixel as a level of 0 to 255, to the nearest.
fn channel(pixel: u32, mask: u32) -> u8 {
    if mask == 0 {
        return 0;
    }
    let (value, most) = (pixel & mask, mask);
    let shift = mask.trailing_zeros();
    let (value, most) = (u64::from(value >> shift), u64::from(most >> shift));
    ((value * 255 + most / 2) / most) as u8
}

fn plain(bytes: &[u8], header: &Header, request: &DecodeRequest<'_>) -> Result<Pixels, ReadError> {
    let stride = usize::try_from(row_bytes(header)).map_err(|_| no_memory())?;
    let size = stride.checked_mul(header.height as usize).ok_or_else(no_memory)?;
    let end = header.start.checked_add(size).ok_or_else(no_memory)?;
    let stored = bytes.get(header.start..end).ok_or_else(cut_short)?;
    let (width, height) = (header.width as usize, header.height as usize);
    let channels = if header.masks[3] == 0 { 3 } else { 4 };
    let mut data = reserve(width * height * channels)?;
    let row = |number: usize| {
        let at = if header.is_top_down { number } else { height - 1 - number };
        &stored[at * stride..(at + 1) * stride]
    };
    let colour = |index: usize| header.palette.get(index).copied().unwrap_or_default();
    for number in 0..height {
        let row = row(number);
        match header.bits {
            bits @ ..=8 => {
                let (bits, each) = (usize::from(bits), 8 / usize::from(bits));
                data.extend((0..width).flat_map(|column| {
                    let shift = 8 - bits * (column % each + 1);
                    colour(usize::from(row[column / each]) >> shift & ((1 << bits) - 1))
                }));
            }
            24 => {
                data.extend(row[..width * 3].as_chunks().0.iter().flat_map(|&[b, g, r]| [r, g, b]))
            }
            bits => {
                let each = usize::from(bits) / 8;
                for pixel in row[..width * each].chunks_exact(each) {
                    let pixel = pixel.iter().rev().fold(0, |sum, &byte| sum << 8 | u32::from(byte));
                    data.extend(header.masks[..channels].iter().map(|&mask| channel(pixel, mask)));
                }
            }
        }
    }
    if channels == 4 {
        return Pixels::from_rgba(header.width, header.height, &data, request.ground);
    }
    Ok(Pixels { width_px: header.width, height_px: header.height, data })
}

/// Runs of indices; pixels that none reaches have the first colour.
fn runs(bytes: &[u8], header: &Header, bits: u8) -> Result<Pixels, ReadError> {
    let (width, height) = (header.width as usize, header.height as usize);
    let mut indices = zeros(width * height)?;
    let mut codes = bytes.get(header.start..).ok_or_else(cut_short)?.iter().copied();
    let mut next = || codes.next().ok_or_else(cut_short);
    let (mut column, mut row) = (0usize, 0usize);
    let index = |byte: u8, at: usize| match bits {
        8 => byte,
        _ if at.is_multiple_of(2) => byte >> 4,
        _ => byte & 15,
    };
    loop {
        match (next()?, next()?) {
            (0, 0) => (column, row) = (0, row + 1),
            (0, 1) => break,
            (0, 2) => (column, row) = (column + usize::from(next()?), row + usize::from(next()?)),
            (count, second) => {
                let is_literal = count == 0;
                let pixels = usize::from(if is_literal { second } else { count });
                let each = if bits == 8 { 1 } else { 2 };
                let mut byte = second;
                for at in 0..pixels {
                    if is_literal && at % each == 0 {
                        byte = next()?;
                    }
                    if row >= height {
                        return Err(damaged("a run leads out of the image"));
                    }
                    // Some encoders fill rows up to a multiple of four pixels.
                    if column < width {
                        indices[row * width + column] = index(byte, at);
                    }
                    column += 1;
                }
                // Literal pixels fill whole words.
                if is_literal && pixels.div_ceil(each) % 2 == 1 {
                    next()?;
                }
            }
        }
    }
    let mut data = reserve(width * height * 3)?;
    for number in 0..height {
        let at = if header.is_top_down { number } else { height - 1 - number };
        let row = &indices[at * width..(at + 1) * width];
        let colour = |&index: &u8| header.palette.get(usize::from(index)).copied();
        data.extend(row.iter().flat_map(|index| colour(index).unwrap_or_default()));
    }
    Ok(Pixels { width_px: header.width, height_px: header.height, data })
}
