//! BMP, TIFF, PNM and QOI: rare in collections, so one general decoder serves them; what it does
//! not tell - where the file should end - is read here from the headers.

use std::borrow::Cow;
use std::io::{Cursor, ErrorKind};

use image::error::{ImageError, LimitErrorKind};
use image::{
    ColorType, DynamicImage, ExtendedColorType, ImageBuffer, ImageDecoder, ImageFormat, ImageReader,
};

use super::exif::ExifFacts;
use super::ground::Ground;
use super::memory::{no_memory, reserve, zeros};
use super::pixel_rows::DecodeRequest;
use super::tiff::{self, TiffLayout};
use super::{
    ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning, exif,
    profile,
};

/// Greatest size of one pixel that the decoder gives: four channels of 32 bits.
const BYTES_PER_PIXEL: u64 = 16;

/// Where the header says that a file ends.
enum End {
    /// At this offset, where a whole file may be followed by more.
    At(usize),
    /// The image is whole but its end mark is not.
    MarkMissing,
    /// The header does not tell.
    Unknown,
}

/// Reads an image of `format`, which must be one of the four.
pub(super) fn read(
    format: Format,
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let mut tiff = TiffLayout { pages: 1, ..TiffLayout::default() };
    let end = match format {
        Format::Qoi => qoi_end(bytes)?,
        Format::Pnm => pnm_end(bytes),
        Format::Bmp => bmp_end(bytes),
        _ => {
            tiff = tiff::skeleton(bytes).ok_or_else(|| cut_short(format))?;
            // What else a TIFF may hold behind its pixels is not for us to know.
            End::Unknown
        }
    };
    let read_error = |error| read_error(format, error);
    let mut source = Cow::Borrowed(bytes);
    if format == Format::Qoi && matches!(end, End::MarkMissing) {
        source.to_mut().extend(QOI_END); // the decoder refuses a picture without
    }
    let which = match format {
        Format::Bmp => ImageFormat::Bmp,
        Format::Tiff => ImageFormat::Tiff,
        Format::Pnm => ImageFormat::Pnm,
        _ => ImageFormat::Qoi,
    };
    let mut reader = ImageReader::with_format(Cursor::new(&source[..]), which);
    let mut allowance = image::Limits::default();
    allowance.max_alloc = Some(limits.pixels.saturating_mul(BYTES_PER_PIXEL));
    reader.limits(allowance);
    let mut decoder = reader.into_decoder().map_err(read_error)?;
    let (width_px, height_px) = decoder.dimensions();
    limits.admit(width_px, height_px, u64::from(decoder.color_type().bytes_per_pixel()))?;
    let (colour, bits) = match (format, stored_bmp_bits(bytes)) {
        (Format::Bmp, Some(bits @ 1..=8)) => (ColourMode::Palette, bits),
        _ => colour(decoder.original_color_type()),
    };
    // A TIFF has the structure of an EXIF block itself.
    let told = if format == Format::Tiff { exif::facts(bytes) } else { ExifFacts::default() };
    let facts = Facts {
        format,
        width_px,
        height_px,
        colour,
        bits,
        frames: tiff.pages,
        orientation: decoder.orientation().map_or(1, |orientation| orientation.to_exif()),
        profile: decoder.icc_profile().ok().flatten().map(|icc| profile::name(&icc)),
        captured: told.captured,
        camera: told.camera,
    };
    let stored = decoder.color_type();
    let pixels = u64::from(width_px) * u64::from(height_px);
    let held = limits.memory.decode(pixels * (u64::from(stored.bytes_per_pixel()) + 3));
    let size = usize::try_from(decoder.total_bytes()).map_err(|_| no_memory())?;
    let mut decoded = zeros(size)?;
    decoder.read_image(&mut decoded).map_err(read_error)?;
    if !tiff::sums_are_right(bytes, &tiff.deflated, limits.decoded_bytes) {
        return Err(ReadError::Damaged(format, "the checksum of the pixels is wrong".into()));
    }
    let pixels = in_rgb(width_px, height_px, stored, decoded, request.ground)?;
    let read_warnings = match end {
        End::At(end) if end < bytes.len() => {
            vec![ReadWarning::TrailingBytes((bytes.len() - end) as u64)]
        }
        End::MarkMissing => vec![ReadWarning::MissingEnd],
        End::At(_) | End::Unknown => Vec::new(),
    };
    Ok(DecodedImage { facts, read_warnings, pixels: request.take(pixels), held })
}

/// Decoded pixels of any kind as 8-bit RGB, row by row, so that no second whole image is made on the way.
fn in_rgb(
    width_px: u32,
    height_px: u32,
    stored: ColorType,
    decoded: Vec<u8>,
    ground: Ground,
) -> Result<Pixels, ReadError> {
    if stored == ColorType::Rgb8 {
        return Ok(Pixels { width_px, height_px, data: decoded });
    }
    let mut data = reserve(width_px as usize * height_px as usize * 3)?;
    let row_bytes = (width_px as usize * usize::from(stored.bytes_per_pixel())).max(1);
    for row in decoded.chunks_exact(row_bytes) {
        let row = one_row(width_px, stored, row).ok_or_else(no_memory)?;
        if row.color().has_alpha() {
            data.extend(Pixels::from_rgba(width_px, 1, &row.into_rgba8(), ground)?.data);
        } else {
            data.extend(row.into_rgb8().into_raw());
        }
    }
    Ok(Pixels { width_px, height_px, data })
}

/// A row of decoded values, which stand in the byte order of the machine, as an image of its own.
fn one_row(width: u32, stored: ColorType, row: &[u8]) -> Option<DynamicImage> {
    let short = || row.as_chunks().0.iter().map(|&bytes| u16::from_ne_bytes(bytes)).collect();
    let real = || row.as_chunks().0.iter().map(|&bytes| f32::from_ne_bytes(bytes)).collect();
    let bytes = || row.to_vec();
    Some(match stored {
        ColorType::L8 => DynamicImage::ImageLuma8(ImageBuffer::from_raw(width, 1, bytes())?),
        ColorType::La8 => DynamicImage::ImageLumaA8(ImageBuffer::from_raw(width, 1, bytes())?),
        ColorType::Rgb8 => DynamicImage::ImageRgb8(ImageBuffer::from_raw(width, 1, bytes())?),
        ColorType::Rgba8 => DynamicImage::ImageRgba8(ImageBuffer::from_raw(width, 1, bytes())?),
        ColorType::L16 => DynamicImage::ImageLuma16(ImageBuffer::from_raw(width, 1, short())?),
        ColorType::La16 => DynamicImage::ImageLumaA16(ImageBuffer::from_raw(width, 1, short())?),
        ColorType::Rgb16 => DynamicImage::ImageRgb16(ImageBuffer::from_raw(width, 1, short())?),
        ColorType::Rgba16 => DynamicImage::ImageRgba16(ImageBuffer::from_raw(width, 1, short())?),
        ColorType::Rgb32F => DynamicImage::ImageRgb32F(ImageBuffer::from_raw(width, 1, real())?),
        ColorType::Rgba32F => DynamicImage::ImageRgba32F(ImageBuffer::from_raw(width, 1, real())?),
        _ => return None,
    })
}

fn cut_short(format: Format) -> ReadError {
    ReadError::Truncated(format, "the file ends before its image does".into())
}

fn read_error(format: Format, error: ImageError) -> ReadError {
    match error {
        // A TIFF's pixels were all found in their places: what runs out early is damaged.
        error if format == Format::Tiff && ends_early(&error) => {
            ReadError::Damaged(format, "the image data ends early".into())
        }
        error if ends_early(&error) => cut_short(format),
        ImageError::Unsupported(error) => {
            ReadError::Unsupported(format!("{} variety: {error}", format.name()))
        }
        ImageError::Limits(error) => match error.kind() {
            LimitErrorKind::Unsupported { .. } => ReadError::Unsupported(error.to_string()),
            _ => ReadError::OverLimit(error.to_string()),
        },
        error => ReadError::Damaged(format, error.to_string()),
    }
}

/// Whether the data ended before the decoder had enough. Some decoders wrap that into errors of
/// their own.
fn ends_early(error: &ImageError) -> bool {
    let is_end = |error: &std::io::Error| error.kind() == ErrorKind::UnexpectedEof;
    if let ImageError::IoError(error) = error {
        return is_end(error);
    }
    let mut cause = std::error::Error::source(error);
    while let Some(error) = cause {
        if error.downcast_ref().is_some_and(is_end) {
            return true;
        }
        cause = error.source();
    }
    false
}

fn colour(stored: ExtendedColorType) -> (ColourMode, u8) {
    use ExtendedColorType::*;
    let mode = match stored {
        A8 | L1 | L2 | L4 | L8 | L16 => ColourMode::Grey,
        La1 | La2 | La4 | La8 | La16 => ColourMode::GreyAlpha,
        Rgba1 | Rgba2 | Rgba4 | Rgba8 | Rgba16 | Rgba32F | Bgra8 => ColourMode::Rgba,
        Cmyk8 | Cmyk16 => ColourMode::Cmyk,
        _ => ColourMode::Rgb,
    };
    (mode, (stored.bits_per_pixel() / u16::from(stored.channel_count().max(1))) as u8)
}

/// Bits of one stored pixel, from a BMP's header.
fn stored_bmp_bits(bytes: &[u8]) -> Option<u8> {
    let offset = if u32_at(bytes, 14)? == 12 { 24 } else { 28 };
    bytes.get(offset).copied()
}

fn u32_at(bytes: &[u8], offset: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(offset..offset + 4)?.try_into().ok()?))
}

/// The end of a BMP: the larger of the size that its header states, which many encoders get wrong,
/// and the end of its rows, which is known where they are not compressed.
fn bmp_end(bytes: &[u8]) -> End {
    let rows_end = || {
        let (offset, header) = (u64::from(u32_at(bytes, 10)?), u32_at(bytes, 14)?);
        if header < 40 || !matches!(u32_at(bytes, 30)?, 0 | 3) {
            return None;
        }
        let (width, height) = (u32_at(bytes, 18)?, u32_at(bytes, 22)?.cast_signed().unsigned_abs());
        let row = (u64::from(width) * u64::from(stored_bmp_bits(bytes)?)).div_ceil(32) * 4;
        Some(row.saturating_mul(u64::from(height)).saturating_add(offset))
    };
    match (rows_end(), u32_at(bytes, 2)) {
        (Some(rows), Some(stated)) => End::At(rows.max(u64::from(stated)) as usize),
        _ => End::Unknown,
    }
}

/// The end of a binary PNM, from the numbers of its header.
fn pnm_end(bytes: &[u8]) -> End {
    let end = match bytes.get(1) {
        Some(b'4'..=b'6') => netpbm_end(bytes),
        Some(b'7') => pam_end(bytes),
        _ => None, // pixels as text
    };
    end.map_or(End::Unknown, |end| End::At(end as usize))
}

/// Width, height and, but for bitmaps, the greatest value, each after white space or comments; one
/// white space, then the pixels.
fn netpbm_end(bytes: &[u8]) -> Option<u64> {
    let mut at = 2;
    let mut numbers = Vec::new();
    while numbers.len() < if bytes[1] == b'4' { 2 } else { 3 } {
        let rest = bytes.get(at..)?;
        at += match rest.first()? {
            b'#' => rest.iter().take_while(|&&byte| byte != b'\n').count(),
            byte if byte.is_ascii_digit() => {
                let digits = rest.iter().take_while(|byte| byte.is_ascii_digit()).count();
                numbers.push(std::str::from_utf8(&rest[..digits]).ok()?.parse::<u64>().ok()?);
                digits
            }
            _ => 1,
        };
    }
    let row = match bytes[1] {
        b'4' => numbers[0].div_ceil(8),
        kind => {
            let channels = if kind == b'6' { 3 } else { 1 };
            numbers[0].checked_mul(channels * if numbers[2] > 255 { 2 } else { 1 })?
        }
    };
    row.checked_mul(numbers[1])?.checked_add(at as u64 + 1)
}

/// A header of lines with a word and a number, ended by `ENDHDR`, then the pixels.
fn pam_end(bytes: &[u8]) -> Option<u64> {
    const LAST_LINE: &[u8] = b"ENDHDR\n";
    let header = bytes.windows(LAST_LINE.len()).position(|window| window == LAST_LINE)?;
    let text = std::str::from_utf8(&bytes[..header]).ok()?;
    let number = |word: &str| -> Option<u64> {
        let mut lines = text.lines();
        lines.find_map(|line| line.strip_prefix(word)?.trim().parse().ok())
    };
    let sample = if number("MAXVAL")? > 255 { 2 } else { 1 };
    let pixels = number("WIDTH")?.checked_mul(number("HEIGHT")?)?;
    let size = pixels.checked_mul(number("DEPTH")?)?.checked_mul(sample)?;
    size.checked_add((header + LAST_LINE.len()) as u64)
}

/// The mark that ends a QOI file.
const QOI_END: [u8; 8] = [0, 0, 0, 0, 0, 0, 0, 1];

/// Follows the operations of a QOI file (qoiformat.org, version 1.0) until its pixels are complete.
fn qoi_end(bytes: &[u8]) -> Result<End, ReadError> {
    let format = Format::Qoi;
    let side = |at: usize| Some(u32::from_be_bytes(bytes.get(at..at + 4)?.try_into().ok()?));
    let (Some(width), Some(height)) = (side(4), side(8)) else {
        return Err(cut_short(format));
    };
    let pixels = u64::from(width) * u64::from(height);
    let (mut done, mut at) = (0u64, 14);
    while done < pixels {
        let (length, run) = match bytes.get(at) {
            Some(0xFE) => (4, 1),
            Some(0xFF) => (5, 1),
            Some(code @ 0xC0..) => (1, u64::from(code & 0x3F) + 1),
            Some(0x80..=0xBF) => (2, 1),
            Some(_) => (1, 1),
            None if bytes.ends_with(&QOI_END) => {
                return Err(ReadError::Damaged(format, "the image data ends early".into()));
            }
            None => return Err(cut_short(format)),
        };
        at += length;
        done += run;
    }
    match bytes.get(at..) {
        None => Err(cut_short(format)),
        Some([]) => Ok(End::MarkMissing),
        Some(rest) if rest.starts_with(&QOI_END) => Ok(End::At(at + QOI_END.len())),
        Some(rest) if QOI_END.starts_with(rest) => Err(cut_short(format)),
        Some(_) => Ok(End::At(at)),
    }
}
