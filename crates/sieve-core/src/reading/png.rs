//! PNG, driven to its very end: chunk sums, the stream's own sum, and the end chunk.

mod chunks;

use std::borrow::Cow;
use std::cell::Cell;
use std::io::{BufRead, Cursor, Read, Seek, SeekFrom};

use png::{BitDepth, ColorType, DecodeOptions, Decoder, DecodingError, Info, Transformations};

use chunks::{Chunks, End};

use super::ground::Ground;
use super::memory::{MemoryPermit, no_memory, reserve, zeros};
use super::pixel_rows::{DecodeRequest, Output, Shape};
use super::{
    ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning, exif,
    given_up, pixels,
};

/// Memory that one image's chunks and rows may take beside its pixels, in bytes: a row of the
/// widest image admitted by default (200 million pixels of 64 bits) is 1.6 GB and is refused.
const CHUNK_BYTES: usize = 256 << 20;

/// The chunk that ends every PNG: no data, its name, its sum.
const END_CHUNK: [u8; 12] = *b"\0\0\0\0IEND\xae\x42\x60\x82";

pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let chunks = Chunks::new(bytes);
    let mut whole = Cow::Borrowed(bytes);
    match chunks.end {
        End::Complete(_) => {}
        End::Inside => return Err(cut_short()),
        // If the image decodes once the mark is there, only the mark was missing.
        End::Missing => whole.to_mut().extend(END_CHUNK),
    }
    let (decoded, read_warning) = match decode(&whole, limits, request, Checks::All) {
        Ok(decoded) => (decoded, None),
        // A sum that is wrong outside of the image's own chunks leaves the image whole.
        Err(read_error @ ReadError::Damaged(..)) => {
            let read_warning =
                ReadWarning::Suspect("a chunk outside the image data is damaged".into());
            match decode(&whole, limits, request, Checks::ImageOnly) {
                Ok(decoded) => (decoded, Some(read_warning)),
                Err(_) if matches!(chunks.end, End::Missing) => return Err(cut_short()),
                Err(_) => return Err(read_error),
            }
        }
        Err(other) => return Err(other),
    };
    let Decoded { mut image, taken, stream_bytes } = decoded;
    image.read_warnings.extend(read_warning);
    image.read_warnings.extend(chunks.packed_beside(bytes));
    if let Output::Rows { .. } = &request.output {
        image.read_warnings.extend(chunks.left_over(bytes, taken, stream_bytes));
    }
    image.facts.profile = chunks.profile;
    match chunks.end {
        End::Complete(left) if left > 0 => {
            image.read_warnings.push(ReadWarning::TrailingBytes(left))
        }
        End::Missing => image.read_warnings.push(ReadWarning::MissingEnd),
        _ => {}
    }
    Ok(image)
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Checks {
    All,
    ImageOnly,
}

/// An image, and what can be known of the stream of its pixels.
struct Decoded {
    image: DecodedImage,
    /// How far the file was read when the last row came; none where the rows came in another order.
    taken: Option<usize>,
    /// Bytes that the rows take unpacked, with the byte before each that names its filter.
    stream_bytes: u64,
}

/// A file that knows how far it was read.
struct Followed<'a> {
    file: Cursor<&'a [u8]>,
    taken: &'a Cell<usize>,
}

impl Read for Followed<'_> {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let count = self.file.read(into)?;
        self.taken.set(self.file.position() as usize);
        Ok(count)
    }
}

impl BufRead for Followed<'_> {
    fn fill_buf(&mut self) -> std::io::Result<&[u8]> {
        self.file.fill_buf()
    }

    fn consume(&mut self, amount: usize) {
        self.file.consume(amount);
        self.taken.set(self.file.position() as usize);
    }
}

impl Seek for Followed<'_> {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.file.seek(to)
    }
}

/// Rows between two questions whether to go on.
const ROWS_A_STEP: usize = 64;

fn decode(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
    checks: Checks,
) -> Result<Decoded, ReadError> {
    let taken = Cell::new(0);
    let file = Followed { file: Cursor::new(bytes), taken: &taken };
    let mut options = DecodeOptions::default();
    options.set_ignore_adler32(false);
    options.set_skip_ancillary_crc_failures(checks == Checks::ImageOnly);
    options.set_ignore_text_chunk(true);
    options.set_ignore_iccp_chunk(true); // its profile may unpack to hundreds of megabytes
    let mut decoder = Decoder::new_with_options(file, options);
    decoder.set_limits(png::Limits { bytes: CHUNK_BYTES });
    decoder.set_transformations(Transformations::EXPAND | Transformations::STRIP_16);
    let header = decoder.read_header_info().map_err(read_error)?;
    limits.admit(header.width, header.height, header.bytes_per_pixel() as u64)?;
    let mut reader = decoder.read_info().map_err(read_error)?;
    let (width_px, height_px) = (reader.info().width, reader.info().height);

    let stored = reader.output_color_type().0;
    let mut whole = Pixels::default();
    let rgb_bytes = width_px as usize * height_px as usize * 3;
    let (mut last, held): (Option<usize>, MemoryPermit);
    if reader.info().interlaced {
        let size = reader.output_buffer_size().ok_or_else(no_memory)?;
        held = limits.memory.decode(size as u64 + rgb_bytes as u64);
        let mut buffer = zeros(size)?;
        reader.next_frame(&mut buffer).map_err(read_error)?;
        let mut data = reserve(rgb_bytes)?;
        append_rgb(&mut data, stored, &buffer, request.ground);
        whole = request.take(Pixels { width_px, height_px, data });
        last = None;
    } else {
        let is_whole = matches!(request.output, Output::Pixels);
        held = limits.memory.decode(if is_whole { rgb_bytes as u64 } else { 0 });
        match &mut request.output {
            Output::Rows { rows, .. } => rows.begin(Shape::full(width_px, height_px)),
            Output::Pixels => whole = Pixels { width_px, height_px, data: reserve(rgb_bytes)? },
        }
        let mut rgb = Vec::new();
        last = Some(0);
        for number in 0..height_px as usize {
            if number.is_multiple_of(ROWS_A_STEP) && (limits.stopped)() {
                return Err(given_up());
            }
            let Some(row) = reader.next_row().map_err(read_error)? else { break };
            last = Some(taken.get());
            let ground = request.ground;
            match &mut request.output {
                Output::Pixels => append_rgb(&mut whole.data, stored, row.data(), ground),
                Output::Rows { rows, .. } if stored == ColorType::Rgb => rows.row(row.data()),
                Output::Rows { rows, .. } => {
                    rgb.clear();
                    append_rgb(&mut rgb, stored, row.data(), ground);
                    rows.row(&rgb);
                }
            }
        }
        // Reads the rest of the stream, and with it its sum.
        reader.next_row().map_err(read_error)?;
    }
    let stream_bytes = stream_bytes(reader.info());
    reader.finish().map_err(read_error)?;
    let info = reader.info();
    let reported = info.exif_metadata.as_deref().map(exif::facts).unwrap_or_default();
    let facts = Facts {
        format: Format::Png,
        width_px,
        height_px,
        colour: colour(info.color_type, info.trns.is_some()),
        bits: match info.bit_depth {
            BitDepth::One => 1,
            BitDepth::Two => 2,
            BitDepth::Four => 4,
            BitDepth::Eight => 8,
            BitDepth::Sixteen => 16,
        },
        frames: info.animation_control().map_or(1, |animation| animation.num_frames.max(1)),
        orientation: reported.orientation,
        profile: None,
        captured: reported.captured,
        camera: reported.camera,
    };
    let image = DecodedImage { facts, read_warnings: Vec::new(), pixels: whole, held };
    Ok(Decoded { image, taken: last, stream_bytes })
}

fn colour(stored: ColorType, has_transparent_colour: bool) -> ColourMode {
    match (stored, has_transparent_colour) {
        (ColorType::Indexed, _) => ColourMode::Palette,
        (ColorType::Grayscale, false) => ColourMode::Grey,
        (ColorType::Grayscale, true) | (ColorType::GrayscaleAlpha, _) => ColourMode::GreyAlpha,
        (ColorType::Rgb, false) => ColourMode::Rgb,
        (ColorType::Rgb, true) | (ColorType::Rgba, _) => ColourMode::Rgba,
    }
}

/// Appends stored pixels as RGB, transparency laid on a ground.
fn append_rgb(rgb: &mut Vec<u8>, stored: ColorType, row: &[u8], ground: Ground) {
    match stored {
        ColorType::Grayscale => rgb.extend(row.iter().flat_map(|&grey| [grey; 3])),
        ColorType::GrayscaleAlpha => {
            rgb.extend(row.chunks_exact(2).flat_map(|p| pixels::flatten([p[0]; 3], p[1], ground)));
        }
        ColorType::Rgba => {
            rgb.extend(
                row.chunks_exact(4).flat_map(|p| pixels::flatten([p[0], p[1], p[2]], p[3], ground)),
            );
        }
        // Palettes were expanded by the decoder.
        ColorType::Rgb | ColorType::Indexed => rgb.extend_from_slice(row),
    }
}

fn read_error(error: DecodingError) -> ReadError {
    match error {
        DecodingError::LimitsExceeded => {
            ReadError::OverLimit("a row or chunk needs more memory than is allowed".into())
        }
        error => ReadError::Damaged(Format::Png, error.to_string()),
    }
}

fn cut_short() -> ReadError {
    ReadError::Truncated(Format::Png, "the file ends before its image does".into())
}

/// Bytes of an unpacked stream of pixels (PNG, third edition, 7.2): a filter byte and the samples of each row, of
/// each pass where the rows are interlaced (8.1).
fn stream_bytes(info: &Info<'_>) -> u64 {
    /// First column and row, and steps to the next, of each pass.
    const PASSES: [[u64; 4]; 7] = [
        [0, 0, 8, 8],
        [4, 0, 8, 8],
        [0, 4, 4, 8],
        [2, 0, 4, 4],
        [0, 2, 2, 4],
        [1, 0, 2, 2],
        [0, 1, 1, 2],
    ];
    let (width, height) = (u64::from(info.width), u64::from(info.height));
    let of = |columns: u64, rows: u64| match columns {
        0 => 0,
        _ => rows * (1 + (columns * info.bits_per_pixel() as u64).div_ceil(8)),
    };
    if !info.interlaced {
        return of(width, height);
    }
    let passes = PASSES.iter().map(|&[x, y, dx, dy]| {
        of(width.saturating_sub(x).div_ceil(dx), height.saturating_sub(y).div_ceil(dy))
    });
    passes.sum()
}
