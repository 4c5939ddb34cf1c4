//! PNG, driven to its very end: chunk sums, the stream's own sum, and the end chunk.

use std::borrow::Cow;
use std::cell::Cell;
use std::io::{BufRead, Cursor, Read, Seek, SeekFrom};
use std::ops::Range;

use flate2::read::ZlibDecoder;
use png::{BitDepth, ColorType, DecodeOptions, Decoder, DecodingError, Info, Transformations};

use super::memory::{Held, no_memory, room, zeros};
use super::rows::{Shape, Want};
use super::{
    ColourMode, Doubt, Facts, Format, Picture, Pixels, ReadLimits, Trouble, exif, given_up, pixels,
};

/// Memory that one picture's chunks and rows may take beside its pixels, in bytes: a row of the
/// widest picture admitted by default (200 million pixels of 64 bits) is 1.6 GB and is refused.
const CHUNK_BYTES: usize = 256 << 20;

/// The chunk that ends every PNG: no data, its name, its sum.
const END_CHUNK: [u8; 12] = *b"\0\0\0\0IEND\xae\x42\x60\x82";

/// How the chunks of a file end.
enum End {
    /// With the end chunk, and this many bytes after it.
    Complete(u64),
    /// After a whole chunk that is not the end chunk.
    Missing,
    /// Inside a chunk.
    Inside,
}

pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    want: &mut Want<'_>,
) -> Result<Picture, Trouble> {
    let chunks = Chunks::of(bytes);
    let mut whole = Cow::Borrowed(bytes);
    match chunks.end {
        End::Complete(_) => {}
        End::Inside => return Err(cut_short()),
        // If the picture decodes once the mark is there, only the mark was missing.
        End::Missing => whole.to_mut().extend(END_CHUNK),
    }
    let (decoded, doubt) = match decode(&whole, limits, want, Checks::All) {
        Ok(decoded) => (decoded, None),
        // A sum that is wrong outside of the picture's own chunks leaves the picture whole.
        Err(trouble @ Trouble::Damaged(..)) => {
            let doubt = Doubt::Suspect("a chunk beside the picture is damaged".into());
            match decode(&whole, limits, want, Checks::PictureOnly) {
                Ok(decoded) => (decoded, Some(doubt)),
                Err(_) if matches!(chunks.end, End::Missing) => return Err(cut_short()),
                Err(_) => return Err(trouble),
            }
        }
        Err(other) => return Err(other),
    };
    let Decoded { mut picture, taken, stream_bytes } = decoded;
    picture.doubts.extend(doubt);
    picture.doubts.extend(chunks.packed_beside(bytes));
    if let Want::Rows { .. } = want {
        picture.doubts.extend(chunks.left_over(bytes, taken, stream_bytes));
    }
    picture.facts.profile = chunks.profile;
    match chunks.end {
        End::Complete(left) if left > 0 => picture.doubts.push(Doubt::TrailingBytes(left)),
        End::Missing => picture.doubts.push(Doubt::MissingEnd),
        _ => {}
    }
    Ok(picture)
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Checks {
    All,
    PictureOnly,
}

/// A picture, and what can be told of the stream of its pixels.
struct Decoded {
    picture: Picture,
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
    want: &mut Want<'_>,
    checks: Checks,
) -> Result<Decoded, Trouble> {
    let taken = Cell::new(0);
    let file = Followed { file: Cursor::new(bytes), taken: &taken };
    let mut options = DecodeOptions::default();
    options.set_ignore_adler32(false);
    options.set_skip_ancillary_crc_failures(checks == Checks::PictureOnly);
    options.set_ignore_text_chunk(true);
    options.set_ignore_iccp_chunk(true); // its profile may unpack to hundreds of megabytes
    let mut decoder = Decoder::new_with_options(file, options);
    decoder.set_limits(png::Limits { bytes: CHUNK_BYTES });
    decoder.set_transformations(Transformations::EXPAND | Transformations::STRIP_16);
    let header = decoder.read_header_info().map_err(trouble)?;
    limits.admit(header.width, header.height, header.bytes_per_pixel() as u64)?;
    let mut reader = decoder.read_info().map_err(trouble)?;
    let (width_px, height_px) = (reader.info().width, reader.info().height);

    let stored = reader.output_color_type().0;
    let mut whole = Pixels::default();
    let rgb_bytes = width_px as usize * height_px as usize * 3;
    let (mut last, held): (Option<usize>, Held);
    if reader.info().interlaced {
        let size = reader.output_buffer_size().ok_or_else(no_memory)?;
        held = limits.memory.decode(size as u64 + rgb_bytes as u64);
        let mut buffer = zeros(size)?;
        reader.next_frame(&mut buffer).map_err(trouble)?;
        let mut data = room(rgb_bytes)?;
        append_rgb(&mut data, stored, &buffer);
        whole = want.take(Pixels { width_px, height_px, data });
        last = None;
    } else {
        let is_whole = matches!(want, Want::Pixels);
        held = limits.memory.decode(if is_whole { rgb_bytes as u64 } else { 0 });
        match want {
            Want::Rows { rows, .. } => rows.begin(Shape::full(width_px, height_px)),
            Want::Pixels => whole = Pixels { width_px, height_px, data: room(rgb_bytes)? },
        }
        let mut rgb = Vec::new();
        last = Some(0);
        for number in 0..height_px as usize {
            if number.is_multiple_of(ROWS_A_STEP) && (limits.stopped)() {
                return Err(given_up());
            }
            let Some(row) = reader.next_row().map_err(trouble)? else { break };
            last = Some(taken.get());
            match want {
                Want::Pixels => append_rgb(&mut whole.data, stored, row.data()),
                Want::Rows { rows, .. } if stored == ColorType::Rgb => rows.row(row.data()),
                Want::Rows { rows, .. } => {
                    rgb.clear();
                    append_rgb(&mut rgb, stored, row.data());
                    rows.row(&rgb);
                }
            }
        }
        // Reads the rest of the stream, and with it its sum.
        reader.next_row().map_err(trouble)?;
    }
    let stream_bytes = stream_bytes(reader.info());
    reader.finish().map_err(trouble)?;
    let info = reader.info();
    let told = info.exif_metadata.as_deref().map(exif::facts).unwrap_or_default();
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
        orientation: told.orientation,
        profile: None,
        captured: told.captured,
        camera: told.camera,
    };
    let picture = Picture { facts, doubts: Vec::new(), pixels: whole, held };
    Ok(Decoded { picture, taken: last, stream_bytes })
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

/// Appends stored pixels as RGB, transparency laid on white.
fn append_rgb(rgb: &mut Vec<u8>, stored: ColorType, row: &[u8]) {
    match stored {
        ColorType::Grayscale => rgb.extend(row.iter().flat_map(|&grey| [grey; 3])),
        ColorType::GrayscaleAlpha => {
            rgb.extend(row.chunks_exact(2).flat_map(|p| pixels::flatten([p[0]; 3], p[1])));
        }
        ColorType::Rgba => {
            rgb.extend(row.chunks_exact(4).flat_map(|p| pixels::flatten([p[0], p[1], p[2]], p[3])));
        }
        // Palettes were expanded by the decoder.
        ColorType::Rgb | ColorType::Indexed => rgb.extend_from_slice(row),
    }
}

fn trouble(error: DecodingError) -> Trouble {
    match error {
        DecodingError::LimitsExceeded => {
            Trouble::OverLimit("a row or chunk needs more memory than is allowed".into())
        }
        error => Trouble::Damaged(Format::Png, error.to_string()),
    }
}

fn cut_short() -> Trouble {
    Trouble::CutShort(Format::Png, "the file ends before its picture does".into())
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

/// What following the chunks of a file tells.
struct Chunks {
    end: End,
    /// The name of the colour profile, which stands at the beginning of its chunk.
    profile: Option<Box<str>>,
    /// The data of the chunks of the picture's stream.
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
    fn of(bytes: &[u8]) -> Self {
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
    fn packed_beside(&self, bytes: &[u8]) -> Option<Doubt> {
        let mut left = 4 * MOST_PACKED_BYTES;
        for (name, range) in &self.packed {
            if range.len() as u64 * MOST_DEFLATED <= MOST_PACKED_BYTES {
                continue;
            }
            let (unpacked, _) = unpacked(&bytes[range.clone()], MOST_PACKED_BYTES + 1);
            left = left.saturating_sub(unpacked);
            if unpacked > MOST_PACKED_BYTES || left == 0 {
                let (name, most) = (String::from_utf8_lossy(name), MOST_PACKED_BYTES >> 20);
                return Some(Doubt::Suspect(format!(
                    "the chunk {name} unpacks to more than {most} MiB"
                )));
            }
        }
        None
    }

    /// What the stream of the pixels holds behind the last of them. `taken` bytes of the file were read when the
    /// last row came: of a sound stream the decoder has taken all by then, so that only others are unpacked once
    /// more. The rows have `expected` bytes unpacked.
    fn left_over(&self, bytes: &[u8], taken: Option<usize>, expected: u64) -> Option<Doubt> {
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
                format!("its stream of pixels has {at_least}{more} bytes more than the picture")
            }
        };
        Some(Doubt::Suspect(what))
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
