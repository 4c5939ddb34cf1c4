//! TIFF. The decoder stops once it has enough pixels and does not miss bytes that a cut took behind them: the
//! directories are followed here, to how many pages there are and where their pixels end.

use std::io::{self, Cursor, ErrorKind, Read};
use std::ops::Range;

use flate2::read::ZlibDecoder;
use tiff::decoder::{Decoder, DecodingResult, Limits};
use tiff::tags::Tag;
use tiff::{ColorType, TiffError};

use super::memory::{no_memory, reserve};
use super::pixel_rows::DecodeRequest;
use super::{
    ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, exif, profile,
};

/// Reads the first page.
///
/// # Errors
///
/// Why it gives no image.
pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let layout = layout(bytes).ok_or_else(|| {
        ReadError::Truncated(Format::Tiff, "the file ends before its image does".to_owned())
    })?;
    let mut decoder = Decoder::new(Cursor::new(bytes)).map_err(read_error)?;
    let (width_px, height_px) = decoder.dimensions().map_err(read_error)?;
    let (colour, bits, channels) = stored_colour(&mut decoder)?;
    let pixel_bytes = u64::from(channels) * u64::from(bits.div_ceil(8));
    limits.admit(width_px, height_px, pixel_bytes)?;
    let pixels = u64::from(width_px) * u64::from(height_px);
    let held = limits.memory.decode(pixels * (pixel_bytes + u64::from(channels) + 3));
    // What the pixels take, and as much again in between.
    let mut allowance = Limits::default();
    allowance.decoding_buffer_size =
        usize::try_from(pixels.saturating_mul(pixel_bytes)).map_err(|_| no_memory())?;
    allowance.intermediate_buffer_size =
        usize::try_from(limits.pixels.saturating_mul(pixel_bytes)).unwrap_or(usize::MAX);
    allowance.ifd_value_size = allowance.intermediate_buffer_size;
    let mut decoder = decoder.with_limits(allowance);
    let orientation = decoder.find_tag(Tag::Orientation).map_err(read_error)?;
    let orientation = orientation.and_then(|value| value.into_u16().ok());
    // A TIFF has the structure of an EXIF block itself.
    let exif = exif::facts(bytes);
    let facts = Facts {
        frames: layout.pages,
        orientation: orientation.filter(|turn| (1..=8).contains(turn)).map_or(1, |turn| turn as u8),
        profile: decoder.get_tag_u8_vec(Tag::IccProfile).ok().map(|icc| profile::name(&icc)),
        captured: exif.captured,
        camera: exif.camera,
        ..Facts::of_pixels(Format::Tiff, width_px, height_px, colour, bits)
    };
    let levels = levels(&mut decoder, width_px, channels, bits)?;
    if !sums_are_right(bytes, &layout.deflated, limits.decoded_bytes) {
        let reason = "the checksum of the pixels is wrong".to_owned();
        return Err(ReadError::Damaged(Format::Tiff, reason));
    }
    let pixels = match colour {
        ColourMode::Cmyk => {
            let mut data = reserve(levels.len() / 4 * 3)?;
            data.extend(levels.as_chunks::<4>().0.iter().flat_map(|&inks| rgb_of_cmyk(inks)));
            Pixels { width_px, height_px, data }
        }
        _ => {
            let ground = request.ground;
            Pixels::from_levels(width_px, height_px, channels.into(), levels, ground)?
        }
    };
    Ok(DecodedImage { facts, read_warnings: Vec::new(), pixels: request.take(pixels), held })
}

/// How colours are stored: the mode, bits of a channel, channels.
fn stored_colour(decoder: &mut Decoder<Cursor<&[u8]>>) -> Result<(ColourMode, u8, u8), ReadError> {
    let stored = decoder.colortype().map_err(read_error)?;
    let (colour, bits, channels) = match stored {
        ColorType::Gray(bits @ (1 | 8 | 16)) => (ColourMode::Grey, bits, 1),
        ColorType::GrayA(bits @ (8 | 16)) => (ColourMode::GreyAlpha, bits, 2),
        ColorType::RGB(bits @ (8 | 16 | 32)) => (ColourMode::Rgb, bits, 3),
        ColorType::RGBA(bits @ (8 | 16 | 32)) => (ColourMode::Rgba, bits, 4),
        ColorType::CMYK(bits @ (8 | 16)) => (ColourMode::Cmyk, bits, 4),
        other => return Err(ReadError::Unsupported(format!("TIFF variety: {other:?}"))),
    };
    // Whole numbers from 0 up, but for those of 32 bits, which are floating point (TIFF 6.0, tag 339).
    let expected = if bits == 32 { 3 } else { 1 };
    let kinds = decoder.find_tag_unsigned_vec::<u16>(Tag::SampleFormat).map_err(read_error)?;
    if kinds.as_ref().is_none_or(|kinds| kinds.is_empty()) && bits == 32
        || kinds.is_some_and(|kinds| kinds.iter().any(|&kind| kind != expected))
    {
        return Err(ReadError::Unsupported(format!("TIFF variety: {stored:?} of another kind")));
    }
    Ok((colour, bits, channels))
}

/// All samples as levels of 0 to 255, the channels of a pixel side by side.
fn levels(
    decoder: &mut Decoder<Cursor<&[u8]>>,
    width_px: u32,
    channels: u8,
    bits: u8,
) -> Result<Vec<u8>, ReadError> {
    let mut decoded = DecodingResult::U8(Vec::new());
    let layout = decoder.read_image_to_buffer(&mut decoded).map_err(read_error)?;
    if decoded.as_buffer(0).as_bytes().len() < layout.complete_len {
        return Err(ReadError::OverLimit("a page needs more memory than is allowed".to_owned()));
    }
    let levels = match decoded {
        DecodingResult::U8(levels) if bits == 1 => {
            let row_bytes = (width_px as usize).div_ceil(8).max(1);
            let mut wide = reserve(levels.len() / row_bytes * width_px as usize)?;
            for row in levels.chunks_exact(row_bytes) {
                let is_white = |column: usize| row[column / 8] >> (7 - column % 8) & 1 == 1;
                wide.extend((0..width_px as usize).map(|at| if is_white(at) { 255 } else { 0 }));
            }
            wide
        }
        DecodingResult::U8(levels) => levels,
        DecodingResult::U16(samples) => {
            let mut levels = reserve(samples.len())?;
            levels.extend(samples.iter().map(|&sample| ((u32::from(sample) + 128) / 257) as u8));
            levels
        }
        DecodingResult::F32(samples) => {
            let mut levels = reserve(samples.len())?;
            levels.extend(samples.iter().map(|value| (value.clamp(0.0, 1.0) * 255.0 + 0.5) as u8));
            levels
        }
        _ => return Err(ReadError::Unsupported("TIFF variety: its kind of samples".to_owned())),
    };
    if layout.planes < 2 {
        return Ok(levels);
    }
    // One channel after the other in the file.
    let channels = usize::from(channels);
    let plane = levels.len() / layout.planes;
    let mut mixed = reserve(plane * channels)?;
    mixed.extend(
        (0..plane)
            .flat_map(|at| (0..channels).map(move |channel| (channel, at)))
            .map(|(channel, at)| levels.get(channel * plane + at).copied().unwrap_or_default()),
    );
    Ok(mixed)
}

/// Red, green and blue of cyan, magenta, yellow and black, without profiles.
fn rgb_of_cmyk([cyan, magenta, yellow, black]: [u8; 4]) -> [u8; 3] {
    let white = 255 - u32::from(black);
    [cyan, magenta, yellow].map(|ink| ((255 - u32::from(ink)) * white / 255) as u8)
}

fn read_error(error: TiffError) -> ReadError {
    // The pixels were all found in their places: what runs out early is damaged.
    let mut cause: Option<&(dyn std::error::Error + 'static)> = Some(&error);
    while let Some(one) = cause {
        let ended = |error: &io::Error| error.kind() == ErrorKind::UnexpectedEof;
        if one.downcast_ref().is_some_and(ended)
            || matches!(one.downcast_ref(), Some(TiffError::IoError(error)) if ended(error))
        {
            return ReadError::Damaged(Format::Tiff, "the image data ends early".to_owned());
        }
        cause = one.source();
    }
    match error {
        TiffError::UnsupportedError(what) => {
            ReadError::Unsupported(format!("TIFF variety: {what}"))
        }
        TiffError::LimitsExceeded => {
            ReadError::OverLimit("it needs more memory than is allowed".to_owned())
        }
        error => ReadError::Damaged(Format::Tiff, error.to_string()),
    }
}

/// Directories followed at most: a chain that leads back into itself ends here.
const MOST_PAGES: u32 = 10_000;

/// Offsets and lengths of the strips, and of the tiles (TIFF 6.0, tags 273 and 279, 324 and 325).
const EXTENTS: [(u64, u64); 2] = [(273, 279), (324, 325)];

/// How the pixels are packed (tag 259): the two numbers that stand for deflate (TIFF Technical Note
/// 2, and the one that was used before it).
const COMPRESSION: u64 = 259;
const DEFLATE: [u64; 2] = [8, 32946];

/// What following the directories told.
#[derive(Debug, Default, PartialEq, Eq)]
struct TiffLayout {
    /// The number of pages.
    pages: u32,
    /// Where the file holds pixels packed with deflate.
    deflated: Vec<Range<usize>>,
}

/// Follows the directories of a TIFF to the ends of everything they point at; nothing when the file
/// ends before.
fn layout(bytes: &[u8]) -> Option<TiffLayout> {
    let file = Numbers { bytes, little: bytes.starts_with(b"II") };
    if file.at(2, 2)? != 42 {
        return Some(TiffLayout { pages: 1, deflated: Vec::new() }); // BigTIFF is laid out otherwise
    }
    let mut deflated = Vec::new();
    let mut pages = 0;
    let mut directory = file.at(4, 4)?;
    while directory != 0 && pages < MOST_PAGES {
        let entries = file.at(directory, 2)?;
        pages += 1;
        let fields = (0..entries).map(|n| file.field(directory + 2 + n * 12));
        let fields = fields.collect::<Option<Vec<Field>>>()?;
        let values = |tag| {
            // A type without a size takes no space, however many values it claims to have.
            let field = fields.iter().find(|field| field.tag == tag && field.size > 0);
            field.map_or(Some(Vec::new()), |field| file.values(field))
        };
        let is_deflated = values(COMPRESSION)?.first().is_some_and(|kind| DEFLATE.contains(kind));
        for (offsets, lengths) in EXTENTS {
            for (offset, length) in values(offsets)?.into_iter().zip(values(lengths)?) {
                file.holds(offset, length)?;
                if is_deflated {
                    deflated.push(offset as usize..(offset + length) as usize);
                }
            }
        }
        directory = file.at(directory + 2 + entries * 12, 4)?;
    }
    Some(TiffLayout { pages: pages.max(1), deflated })
}

/// Whether the sums at the ends of packed pixels are right. The decoder stops once it has enough
/// pixels and does not look at them. No more than `most_bytes` are unpacked.
fn sums_are_right(bytes: &[u8], deflated: &[Range<usize>], most_bytes: u64) -> bool {
    let mut left = most_bytes;
    for stretch in deflated {
        let unpacked = ZlibDecoder::new(&bytes[stretch.clone()]).take(left);
        match io::copy(&mut { unpacked }, &mut io::sink()) {
            Ok(count) => left -= count,
            Err(_) => return false,
        }
    }
    true
}

/// Bytes of one value by the type of its field (TIFF 6.0, section 2); 0 for types that are unknown.
const VALUE_BYTES: [u64; 14] = [0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8, 4];

/// Where the values of a field are.
struct Field {
    tag: u64,
    size: u64,
    count: u64,
    start: u64,
}

struct Numbers<'a> {
    bytes: &'a [u8],
    little: bool,
}

impl Numbers<'_> {
    /// The number of `length` bytes at `offset`.
    fn at(&self, offset: u64, length: u64) -> Option<u64> {
        let start = usize::try_from(offset).ok()?;
        let raw = self.bytes.get(start..start.checked_add(length as usize)?)?.iter();
        let append = |number: u64, byte: &u8| number << 8 | u64::from(*byte);
        Some(if self.little { raw.rev().fold(0, append) } else { raw.fold(0, append) })
    }

    /// Whether `length` bytes at `offset` are there.
    fn holds(&self, offset: u64, length: u64) -> Option<()> {
        (offset.checked_add(length)? <= self.bytes.len() as u64).then_some(())
    }

    /// The field at `offset` of a directory, its values checked to be there.
    fn field(&self, offset: u64) -> Option<Field> {
        let (tag, kind) = (self.at(offset, 2)?, self.at(offset + 2, 2)?);
        let size = VALUE_BYTES.get(kind as usize).copied().unwrap_or(0);
        let count = self.at(offset + 4, 4)?;
        // Up to four bytes of values stand in the field itself.
        let start = if count * size <= 4 { offset + 8 } else { self.at(offset + 8, 4)? };
        self.holds(start, count * size)?;
        Some(Field { tag, size, count, start })
    }

    /// The values of a field of whole numbers.
    fn values(&self, field: &Field) -> Option<Vec<u64>> {
        (0..field.count).map(|n| self.at(field.start + n * field.size, field.size)).collect()
    }
}
