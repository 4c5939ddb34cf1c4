//! QOI (qoiformat.org, version 1.0). The decoder does not say where the file should end: its operations are followed
//! here.

use std::borrow::Cow;

use super::memory::{no_memory, zeros};
use super::pixel_rows::DecodeRequest;
use super::{ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning};

/// The mark that ends a file.
const END_MARK: [u8; 8] = [0, 0, 0, 0, 0, 0, 0, 1];

/// Where the pixels end.
enum End {
    /// With the end mark, at this offset.
    At(usize),
    /// The pixels are complete, and nothing follows.
    MarkMissing,
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
    let damaged = |error: qoi::Error| ReadError::Damaged(Format::Qoi, error.to_string());
    let sides = bytes.get(4..14).ok_or_else(cut_short)?;
    let side = |at: usize| u32::from_be_bytes(std::array::from_fn(|byte| sides[at + byte]));
    let (width_px, height_px) = (side(0), side(4));
    let header = qoi::decode_header(bytes).map_err(damaged)?;
    let channels = u64::from(header.channels.as_u8());
    limits.admit(width_px, height_px, channels)?;
    let end = end(bytes, u64::from(width_px) * u64::from(height_px))?;
    let mut source = Cow::Borrowed(bytes);
    if matches!(end, End::MarkMissing) {
        source.to_mut().extend(END_MARK); // the decoder rejects an image without
    }
    let pixels = u64::from(width_px) * u64::from(height_px);
    let held = limits.memory.decode(pixels * (channels + 3));
    let mut data = zeros(usize::try_from(pixels * channels).map_err(|_| no_memory())?)?;
    qoi::decode_to_buf(&mut data, &source).map_err(damaged)?;
    let (pixels, colour) = match channels {
        4 => (Pixels::from_rgba(width_px, height_px, &data, request.ground)?, ColourMode::Rgba),
        _ => (Pixels { width_px, height_px, data }, ColourMode::Rgb),
    };
    let read_warnings = match end {
        End::At(end) if end < bytes.len() => {
            vec![ReadWarning::TrailingBytes((bytes.len() - end) as u64)]
        }
        End::MarkMissing => vec![ReadWarning::MissingEnd],
        End::At(_) => Vec::new(),
    };
    let facts = Facts::of_pixels(Format::Qoi, width_px, height_px, colour, 8);
    Ok(DecodedImage { facts, read_warnings, pixels: request.take(pixels), held })
}

fn cut_short() -> ReadError {
    ReadError::Truncated(Format::Qoi, "the file ends before its image does".to_owned())
}

/// Follows the operations until all pixels are there.
fn end(bytes: &[u8], pixels: u64) -> Result<End, ReadError> {
    let (mut done, mut at) = (0u64, 14);
    while done < pixels {
        let (length, run) = match bytes.get(at) {
            Some(0xFE) => (4, 1),
            Some(0xFF) => (5, 1),
            Some(code @ 0xC0..) => (1, u64::from(code & 0x3F) + 1),
            Some(0x80..=0xBF) => (2, 1),
            Some(_) => (1, 1),
            None if bytes.ends_with(&END_MARK) => {
                return Err(ReadError::Damaged(
                    Format::Qoi,
                    "the image data ends early".to_owned(),
                ));
            }
            None => return Err(cut_short()),
        };
        at += length;
        done += run;
    }
    match bytes.get(at..) {
        None => Err(cut_short()),
        Some([]) => Ok(End::MarkMissing),
        Some(rest) if rest.starts_with(&END_MARK) => Ok(End::At(at + END_MARK.len())),
        Some(rest) if END_MARK.starts_with(rest) => Err(cut_short()),
        Some(_) => Ok(End::At(at)),
    }
}
