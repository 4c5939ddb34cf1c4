//! READING: one file's bytes to checked facts and, where wanted, pixels.
//!
//! The format is decided by content, never by name. Each format has one file here, with the
//! decoder that notices most of what can be wrong with it. Limits are checked against the header,
//! before anything is allocated for the image.

mod bmp;
mod capture_time;
mod downscaled;
mod exif;
mod file;
mod format;
mod gif;
mod ground;
mod jpeg;
mod memory;
mod orientation;
mod pixel_rows;
mod pixels;
mod png;
mod pnm;
mod profile;
mod qoi;
mod tiff;
mod webp;

pub use capture_time::time_of_seconds;
pub use downscaled::decode_reduced;
pub use file::{FileBytes, bytes_of};
pub(crate) use format::is_image_name;
pub use format::{Content, Format, content};
pub use ground::Ground;
pub use jpeg::{JpegChannel, JpegCoefficients, jpeg_coefficients};
pub use memory::{MemoryBudget, MemoryPermit};
pub(crate) use orientation::stored_place;
pub use pixel_rows::{Rows, Shape};
pub use pixels::Pixels;

use std::borrow::Cow;
use std::cell::Cell;
use std::fmt;
use std::panic::{AssertUnwindSafe, catch_unwind};

use pixel_rows::{DecodeRequest, Output};
use serde::{Deserialize, Serialize};

/// What an image may cost. Images beyond are refused from their header.
#[derive(Clone, Debug)]
pub struct ReadLimits {
    /// Greatest width times height, in pixels.
    pub pixels: u64,
    /// Greatest size once decoded, in bytes: width times height times channels times bytes a
    /// channel as they are stored. 8 bits a channel reach the limit on pixels first; this one is for images of 16 and
    /// 32 bits.
    pub decoded_bytes: u64,
    /// Greatest file, in bytes. A file is read into memory whole.
    pub file_bytes: u64,
    /// Greatest number of pixels that all scans of a JPEG cover together, each 8 million at least.
    /// Files of a few kilobytes can ask for any number.
    pub work_pixels: u64,
    /// What all images that are being read may take together.
    pub memory: MemoryBudget,
    /// Asked now and then inside of a long image; once it is true the image is given up.
    pub stopped: fn() -> bool,
}

/// One of the limits of [`ReadLimits`].
#[derive(Clone, Copy, Debug)]
pub struct ReadLimit {
    /// Its name; that of the option that sets it.
    pub name: &'static str,
    /// Its default, in units.
    pub default: u64,
    /// What is counted.
    pub unit: &'static str,
    /// How many pixels or bytes a unit is.
    pub unit_size: u64,
    /// Why the default is what it is.
    pub why: &'static str,
}

/// The limits on what one image may cost, in the order of the fields of [`ReadLimits`].
pub const READ_LIMITS: [ReadLimit; 4] = [
    ReadLimit {
        name: "max-megapixels",
        default: 200,
        unit: "megapixels",
        unit_size: 1_000_000,
        why: "larger images are rejected from their header: twice what the largest common cameras produce",
    },
    ReadLimit {
        name: "max-decoded",
        default: 1024,
        unit: "MiB",
        unit_size: 1 << 20,
        why: "images that need more memory once decoded are rejected from their header: what a laptop can spare for each of a few threads",
    },
    ReadLimit {
        name: "max-file",
        default: 1024,
        unit: "MiB",
        unit_size: 1 << 20,
        why: "larger files are not opened: no training image is that large",
    },
    ReadLimit {
        name: "max-work",
        default: 4000,
        unit: "megapixels",
        unit_size: 1_000_000,
        why: "pixels times scans of a JPEG, rejected before decoding: 20 passes over the largest image; progressive files have about ten scans, hostile ones any number",
    },
];

/// The defaults of [`READ_LIMITS`].
impl Default for ReadLimits {
    fn default() -> Self {
        Self::of_units(READ_LIMITS.map(|limit| limit.default))
    }
}

/// How the colours of an image are stored in its file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum ColourMode {
    /// Black and white or grey.
    Grey,
    /// Grey with transparency.
    GreyAlpha,
    /// Red, green, blue (JPEG's YCbCr included).
    Rgb,
    /// Red, green, blue with transparency.
    Rgba,
    /// Indices into a table of colours.
    Palette,
    /// Cyan, magenta, yellow, black.
    Cmyk,
}

impl ColourMode {
    /// Every mode.
    pub const ALL: [ColourMode; 6] = [
        ColourMode::Grey,
        ColourMode::GreyAlpha,
        ColourMode::Rgb,
        ColourMode::Rgba,
        ColourMode::Palette,
        ColourMode::Cmyk,
    ];

    /// Whether pixels may be transparent: a table of colours may hold such ones too.
    pub fn may_be_transparent(self) -> bool {
        matches!(self, ColourMode::GreyAlpha | ColourMode::Rgba | ColourMode::Palette)
    }

    /// Values that a pixel has in the file.
    pub fn channels(self) -> u64 {
        match self {
            ColourMode::Grey | ColourMode::Palette => 1,
            ColourMode::GreyAlpha => 2,
            ColourMode::Rgb => 3,
            ColourMode::Rgba | ColourMode::Cmyk => 4,
        }
    }

    /// The name people use.
    pub fn name(self) -> &'static str {
        match self {
            ColourMode::Grey => "grey",
            ColourMode::GreyAlpha => "grey with alpha",
            ColourMode::Rgb => "RGB",
            ColourMode::Rgba => "RGB with alpha",
            ColourMode::Palette => "palette",
            ColourMode::Cmyk => "CMYK",
        }
    }
}

/// What an image's file says of itself, confirmed by decoding it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Facts {
    /// The format of the content.
    pub format: Format,
    /// Width in pixels as the image is meant to be seen, orientation applied.
    pub width_px: u32,
    /// Height in pixels as the image is meant to be seen, orientation applied.
    pub height_px: u32,
    /// How colours are stored.
    pub colour: ColourMode,
    /// Bits a channel, or an index, takes in the file: 1 to 32.
    pub bits: u8,
    /// Number of frames; more than 1 is an animation, or a file of several pages. The first frame
    /// is the image.
    pub frames: u32,
    /// EXIF orientation, 1 (upright) to 8.
    pub orientation: u8,
    /// Name of the embedded colour profile; it is not applied.
    pub profile: Option<Box<str>>,
    /// When EXIF says that the image was taken: ISO 8601, with an offset from UTC only where
    /// the camera gave one.
    pub captured: Option<Box<str>>,
    /// Maker and model of the camera by EXIF.
    pub camera: Option<Box<str>>,
}

impl Facts {
    /// The facts of a file that tells nothing beyond its pixels: one upright frame.
    fn of_pixels(
        format: Format,
        width_px: u32,
        height_px: u32,
        colour: ColourMode,
        bits: u8,
    ) -> Self {
        Facts {
            format,
            width_px,
            height_px,
            colour,
            bits,
            frames: 1,
            orientation: 1,
            profile: None,
            captured: None,
            camera: None,
        }
    }
}

/// Something odd about a file whose image is nevertheless whole.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ReadWarning {
    /// The image is complete, but the mark that ends the file is not there.
    MissingEnd,
    /// Bytes follow the end of the image: how many.
    TrailingBytes(u64),
    /// The decoder met data it had to step over.
    Suspect(String),
}

/// Why a file gives no image to train on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ReadError {
    /// The file could not be opened or read: what the system said.
    Unreadable(String),
    /// The file holds no byte.
    Empty,
    /// The content is not an image; what it looks like, where that is known.
    NotAnImage(Option<Cow<'static, str>>),
    /// An image in a format, or a variety of a format, that is not read here.
    Unsupported(String),
    /// An image or file beyond the [`ReadLimits`], in words.
    OverLimit(String),
    /// The file ends before its image does.
    Truncated(Format, String),
    /// The data contradicts itself; parts of the image are lost.
    Damaged(Format, String),
}

impl fmt::Display for ReadError {
    /// Why a file gives no image, as a clause about "it".
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ReadError::Unreadable(why) => write!(f, "it cannot be read: {why}"),
            ReadError::Empty => f.write_str("it is empty"),
            ReadError::NotAnImage(what) => {
                let what = what.as_deref().unwrap_or("of unknown type");
                write!(f, "it is not an image: its content is {what}")
            }
            ReadError::Unsupported(what) => write!(f, "its format is not supported: {what}"),
            ReadError::OverLimit(what) => write!(f, "it exceeds a limit: {what}"),
            ReadError::Truncated(format, what) => {
                write!(f, "the {} is truncated: {what}", format.name())
            }
            ReadError::Damaged(format, what) => {
                write!(f, "the {} is damaged: {what}", format.name())
            }
        }
    }
}

impl ReadError {
    /// Whether the file surely holds no image to keep. Another program, more rights or a larger limit may read the others.
    pub fn is_final(&self) -> bool {
        use ReadError::{Damaged, Empty, NotAnImage, Truncated};
        matches!(self, Empty | NotAnImage(_) | Truncated(..) | Damaged(..))
    }
}

/// What reading one file gave.
#[derive(Debug)]
pub struct DecodedImage {
    /// The facts of the file.
    pub facts: Facts,
    /// What was odd.
    pub read_warnings: Vec<ReadWarning>,
    /// The first frame: 8-bit RGB, oriented, transparency flattened on white. Empty after
    /// [`decode_rows`].
    pub pixels: Pixels,
    /// The memory that was taken for it. To be dropped before waiting for other threads.
    pub held: MemoryPermit,
}

/// Decodes every byte of the image in `bytes` to learn whether it is sound, and hands its rows
/// on, keeping none. Where the format allows it the image is decoded smaller, but with no side
/// below `least_side_px` that was not so before.
///
/// # Errors
///
/// Why the bytes give no image. Rows may have been handed on before.
pub fn decode_rows(
    bytes: &[u8],
    limits: &ReadLimits,
    least_side_px: u32,
    rows: &mut dyn Rows,
) -> Result<DecodedImage, ReadError> {
    decode_rows_on(bytes, limits, least_side_px, rows, Ground::White)
}

/// The same with transparent pixels laid on another ground.
///
/// # Errors
///
/// As [`decode_rows`].
pub fn decode_rows_on(
    bytes: &[u8],
    limits: &ReadLimits,
    least_side_px: u32,
    rows: &mut dyn Rows,
    ground: Ground,
) -> Result<DecodedImage, ReadError> {
    read(bytes, limits, DecodeRequest { output: Output::Rows { least_side_px, rows }, ground })
}

/// Decodes the image in `bytes` at full size.
///
/// # Errors
///
/// Why the bytes give no image.
pub fn decode(bytes: &[u8], limits: &ReadLimits) -> Result<DecodedImage, ReadError> {
    decode_on(bytes, limits, Ground::White)
}

/// The same with transparent pixels laid on another ground.
///
/// # Errors
///
/// As [`decode`].
pub fn decode_on(
    bytes: &[u8],
    limits: &ReadLimits,
    ground: Ground,
) -> Result<DecodedImage, ReadError> {
    read(bytes, limits, DecodeRequest { output: Output::Pixels, ground })
}

fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    mut request: DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    if bytes.is_empty() {
        return Err(ReadError::Empty);
    }
    limits.admit_file(bytes.len() as u64)?;
    let format = match content(bytes) {
        Content::Image(format) => format,
        Content::OtherImage(name) => return Err(ReadError::Unsupported(name.to_owned())),
        Content::Other(what) => return Err(ReadError::NotAnImage(what.map(Cow::Borrowed))),
    };
    let request = &mut request;
    let mut image = guarded(format, || match format {
        Format::Jpeg => jpeg::read(bytes, limits, request),
        Format::Png => png::read(bytes, limits, request),
        Format::WebP => webp::read(bytes, limits, request),
        Format::Gif => gif::read(bytes, limits, request),
        Format::Bmp => bmp::read(bytes, limits, request),
        Format::Tiff => tiff::read(bytes, limits, request),
        Format::Pnm => pnm::read(bytes, limits, request),
        Format::Qoi => qoi::read(bytes, limits, request),
    })?;
    if image.facts.width_px == 0 || image.facts.height_px == 0 {
        return Err(ReadError::Damaged(format, "the image has no pixels".to_owned()));
    }
    let turn = image.facts.orientation;
    if orientation::swaps_sides(turn) {
        let facts = &mut image.facts;
        (facts.width_px, facts.height_px) = (facts.height_px, facts.width_px);
    }
    image.pixels = orientation::upright(image.pixels, turn)?;
    Ok(image)
}

thread_local! {
    static IS_DECODING: Cell<bool> = const { Cell::new(false) };
}

/// Whether this thread is inside of a decoder. A panic there is caught and becomes a finding, so that the hook of
/// a program need not tell of it.
pub fn is_decoding() -> bool {
    IS_DECODING.get()
}

/// Reads an image; a decoder that panics has met a damaged file, and must not end the run.
fn guarded(
    format: Format,
    read: impl FnOnce() -> Result<DecodedImage, ReadError>,
) -> Result<DecodedImage, ReadError> {
    caught(read).unwrap_or_else(|| {
        Err(ReadError::Damaged(format, "the decoder failed on its data".to_owned()))
    })
}

/// What a decoder of another's data gives; none where it panics.
pub(crate) fn caught<T>(decode: impl FnOnce() -> T) -> Option<T> {
    IS_DECODING.set(true);
    let outcome = catch_unwind(AssertUnwindSafe(decode));
    IS_DECODING.set(false);
    outcome.ok()
}

/// What is told of an image that was given up because the run was stopped. It is not kept.
fn given_up() -> ReadError {
    ReadError::Unreadable("reading was stopped".to_owned())
}

impl ReadLimits {
    /// The limits for these values, each in its unit of [`READ_LIMITS`].
    pub fn of_units(units: [u64; 4]) -> Self {
        let [pixels, decoded_bytes, file_bytes, work_pixels] =
            std::array::from_fn(|at| units[at].saturating_mul(READ_LIMITS[at].unit_size));
        let (memory, stopped) = (MemoryBudget::default(), (|| false) as fn() -> bool);
        ReadLimits { pixels, decoded_bytes, file_bytes, work_pixels, memory, stopped }
    }

    /// Whether an image is within the limits.
    pub(crate) fn allow(&self, width: u32, height: u32, bytes_a_pixel: u64) -> bool {
        self.admit(width, height, bytes_a_pixel).is_ok()
    }

    /// Refuses a file beyond the limit.
    pub(crate) fn admit_file(&self, size_bytes: u64) -> Result<(), ReadError> {
        let limit = self.file_bytes;
        if size_bytes > limit {
            let reason =
                format!("the file has {size_bytes} bytes; the limit is {limit} (max-file)");
            return Err(ReadError::OverLimit(reason));
        }
        Ok(())
    }

    /// Rejects an image with too many pixels times scans. To be called before the scans are decoded.
    fn admit_scans(&self, width: u32, height: u32, scans: u64) -> Result<(), ReadError> {
        let (work, limit) =
            (Self::scan_pixels(width, height).saturating_mul(scans), self.work_pixels);
        if work > limit {
            return Err(ReadError::OverLimit(format!(
                "{width} x {height} in {scans} scans means decoding {work} pixels; the limit is {limit} (max-work)"
            )));
        }
        Ok(())
    }

    /// What one scan over an image counts as, in pixels. That of a small image counts as 8 million: no encoder
    /// writes more than some dozens, so that a file with 500 of them is meant to stall its reader.
    fn scan_pixels(width: u32, height: u32) -> u64 {
        const LEAST: u64 = 8_000_000;
        (u64::from(width) * u64::from(height)).max(LEAST)
    }

    /// The limits alone, as numbers: what was refused under them is refused again.
    pub(crate) fn numbers(&self) -> [u64; 4] {
        [self.pixels, self.decoded_bytes, self.file_bytes, self.work_pixels]
    }

    /// Refuses an image of `width` x `height` beyond the limits. To be called with the sizes of
    /// the header, before anything is allocated.
    fn admit(&self, width: u32, height: u32, bytes_a_pixel: u64) -> Result<(), ReadError> {
        let pixels = u64::from(width) * u64::from(height);
        if pixels > self.pixels {
            let limit = self.pixels;
            return Err(ReadError::OverLimit(format!(
                "{width} x {height} is {pixels} pixels; the limit is {limit} (max-megapixels)"
            )));
        }
        let bytes = pixels.saturating_mul(bytes_a_pixel);
        if bytes > self.decoded_bytes {
            let limit = self.decoded_bytes;
            return Err(ReadError::OverLimit(format!(
                "{width} x {height} pixels of {bytes_a_pixel} bytes are {bytes} bytes; the limit is \
                 {limit} (max-decoded)"
            )));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests;
