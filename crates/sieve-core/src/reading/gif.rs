//! GIF: the blocks are followed to the trailer, then the frames are decoded.

use std::io::Cursor;

use gif::{ColorOutput, DecodeOptions, DecodingError, MemoryLimit};

use super::ground::Ground;
use super::memory::reserve;
use super::pixel_rows::DecodeRequest;
use super::{
    ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning, given_up,
    pixels,
};

/// What following the blocks of a file told.
struct Blocks {
    frames: u32,
    end: End,
}

/// How the blocks of a file end.
enum End {
    /// With the trailer, and this many bytes after it.
    Trailer(u64),
    /// After a whole block.
    Missing,
    /// With bytes that begin no block.
    Rubbish,
}

pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let blocks = walk_blocks(bytes)
        .ok_or_else(|| ReadError::Truncated(Format::Gif, "the file ends inside a block".into()))?;
    if blocks.frames == 0 {
        return Err(damaged("it has no frames"));
    }
    let mut options = DecodeOptions::new();
    options.set_color_output(ColorOutput::RGBA);
    // A frame is never larger than 65535 x 65535; the image's own size was not yet seen.
    let frame_bytes = limits.pixels.saturating_mul(4).max(1);
    options.set_memory_limit(MemoryLimit::Bytes(frame_bytes.try_into().expect("at least 1")));
    let mut decoder = options.read_info(Cursor::new(bytes)).map_err(read_error)?;
    let (width_px, height_px) = (u32::from(decoder.width()), u32::from(decoder.height()));
    limits.admit(width_px, height_px, 3)?;

    // The canvas, a frame of the same size in colours, and its indices.
    let pixels = u64::from(width_px) * u64::from(height_px);
    let held = limits.memory.decode(pixels * 8);
    let mut data = reserve(width_px as usize * height_px as usize * 3)?;
    data.resize(width_px as usize * height_px as usize * 3, request.ground.level());
    let mut canvas = Pixels { width_px, height_px, data };
    let first = decoder.read_next_frame().map_err(read_error)?;
    paint(&mut canvas, first.ok_or_else(|| damaged("it has no frames"))?, request.ground);

    let mut read_warnings = Vec::new();
    // Later frames are no part of the image, but damage in them is worth knowing: they are
    // decoded as long as that costs no more than the largest image that is admitted.
    let mut budget = limits.pixels;
    for number in 2..=blocks.frames {
        if (limits.stopped)() {
            return Err(given_up());
        }
        match decoder.read_next_frame() {
            Ok(Some(frame)) => {
                let area = u64::from(frame.width) * u64::from(frame.height);
                let Some(left) = budget.checked_sub(area) else {
                    break;
                };
                budget = left;
            }
            Ok(None) => break,
            Err(_) => {
                read_warnings.push(ReadWarning::Suspect(format!("frame {number} is damaged")));
                break;
            }
        }
    }
    match blocks.end {
        End::Trailer(0) => {}
        End::Trailer(left) => read_warnings.push(ReadWarning::TrailingBytes(left)),
        End::Missing => read_warnings.push(ReadWarning::MissingEnd),
        // Damage among the frames is reported already.
        End::Rubbish if !read_warnings.is_empty() => {}
        End::Rubbish => {
            read_warnings.push(ReadWarning::Suspect("unexpected bytes follow a block".into()))
        }
    }
    let facts = Facts {
        format: Format::Gif,
        width_px,
        height_px,
        colour: ColourMode::Palette,
        bits: 8,
        frames: blocks.frames,
        orientation: 1,
        profile: None,
        captured: None,
        camera: None,
    };
    Ok(DecodedImage { facts, read_warnings, pixels: request.take(canvas), held })
}

/// Lays the first frame on the empty canvas; what reaches beyond the canvas is left away.
fn paint(canvas: &mut Pixels, frame: &gif::Frame<'_>, ground: Ground) {
    let (left, top) = (usize::from(frame.left), usize::from(frame.top));
    let (columns, rows) = (canvas.width_px as usize, canvas.height_px as usize);
    let width = usize::from(frame.width);
    for (y, row) in frame.buffer.chunks_exact((width * 4).max(1)).enumerate() {
        if top + y >= rows {
            break;
        }
        for (x, pixel) in row.chunks_exact(4).enumerate().take(columns.saturating_sub(left)) {
            let at = ((top + y) * columns + left + x) * 3;
            let colour = pixels::flatten([pixel[0], pixel[1], pixel[2]], pixel[3], ground);
            canvas.data[at..at + 3].copy_from_slice(&colour);
        }
    }
}

/// Follows the blocks of the GIF89a specification; `None` when the file ends inside one.
fn walk_blocks(bytes: &[u8]) -> Option<Blocks> {
    let table = |flags: u8| {
        if flags & 0x80 == 0 { 0 } else { 3 << ((flags & 7) + 1) }
    };
    let mut at = 13 + table(*bytes.get(10)?);
    let mut frames = 0;
    if at > bytes.len() {
        return None;
    }
    loop {
        let end = match bytes.get(at) {
            Some(0x2C) => {
                frames += 1;
                at += 11 + table(*bytes.get(at + 9)?); // descriptor, table, code size
                None
            }
            Some(0x21) => {
                at += 2;
                None
            }
            Some(0x3B) => Some(End::Trailer((bytes.len() - at - 1) as u64)),
            Some(_) => Some(End::Rubbish),
            None => Some(End::Missing),
        };
        if let Some(end) = end {
            return Some(Blocks { frames, end });
        }
        // Data follow in sub-blocks of up to 255 bytes, ended by an empty one.
        loop {
            let length = usize::from(*bytes.get(at)?);
            at += 1 + length;
            if length == 0 {
                break;
            }
        }
    }
}

fn damaged(what: &str) -> ReadError {
    ReadError::Damaged(Format::Gif, what.into())
}

fn read_error(error: DecodingError) -> ReadError {
    match error {
        DecodingError::OutOfMemory => ReadError::OverLimit("a frame exceeds the limits".into()),
        error => damaged(&error.to_string()),
    }
}
