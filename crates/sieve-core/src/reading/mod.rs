//! READING: one file's bytes to checked facts and, where wanted, pixels.
//!
//! The format is decided by content, never by name. Each format has one file here, with the
//! decoder that notices most of what can be wrong with it. Limits are checked against the header,
//! before anything is allocated for the picture.

mod file;
mod format;
mod gif;
mod jpeg;
mod orientation;
mod others;
mod pixels;
mod png;
mod tiff;
mod webp;

pub use file::bytes_of;
pub(crate) use format::is_picture_name;
pub use format::{Content, Format, content};
pub use pixels::Pixels;

use std::panic::{AssertUnwindSafe, catch_unwind};

/// What a picture may cost. Pictures beyond are refused from their header.
#[derive(Clone, Debug)]
pub struct ReadLimits {
    /// Greatest width times height, in pixels. Default 200 million: above the largest cameras sold,
    /// and 600 MB as RGB, which a laptop still has.
    pub pixels: u64,
    /// Greatest file, in bytes. Default 1 GiB: a file is read into memory whole.
    pub file_bytes: u64,
}

impl Default for ReadLimits {
    fn default() -> Self {
        ReadLimits { pixels: 200_000_000, file_bytes: 1 << 30 }
    }
}

/// How the colours of a picture are stored in its file.
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

/// What a picture's file says of itself, confirmed by decoding it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Facts {
    /// The format of the content.
    pub format: Format,
    /// Width in pixels as the picture is meant to be seen, orientation applied.
    pub width_px: u32,
    /// Height in pixels as the picture is meant to be seen, orientation applied.
    pub height_px: u32,
    /// How colours are stored.
    pub colour: ColourMode,
    /// Bits a channel, or an index, takes in the file: 1 to 32.
    pub bits: u8,
    /// Number of frames; more than 1 is an animation, or a file of several pages. The first frame
    /// is the picture.
    pub frames: u32,
    /// EXIF orientation, 1 (upright) to 8.
    pub orientation: u8,
}

/// Something odd about a file whose picture is nevertheless whole.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Doubt {
    /// The picture is complete, but the mark that ends the file is not there.
    MissingEnd,
    /// Bytes follow the end of the picture: how many.
    TrailingBytes(u64),
    /// The decoder met data it had to step over.
    Suspect(String),
}

/// Why a file gives no picture to train on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trouble {
    /// The file could not be opened or read: what the system said.
    Unreadable(String),
    /// The file holds no byte.
    Empty,
    /// The content is not a picture; what it looks like, where that is known.
    NotAnImage(Option<&'static str>),
    /// A picture in a format, or a variety of a format, that is not read here.
    Unsupported(String),
    /// A picture or file beyond the [`ReadLimits`], in words.
    OverLimit(String),
    /// The file ends before its picture does.
    CutShort(Format, String),
    /// The data contradicts itself; parts of the picture are lost.
    Damaged(Format, String),
}

/// What reading one file gave.
#[derive(Debug)]
pub struct Picture {
    /// The facts of the file.
    pub facts: Facts,
    /// What was odd.
    pub doubts: Vec<Doubt>,
    /// The first frame: 8-bit RGB, oriented, transparency flattened on white. Empty after
    /// [`check`].
    pub pixels: Pixels,
}

/// Whether the pixels are kept once they were decoded.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Keep {
    /// Decode every byte of the picture, keep none.
    Nothing,
    /// Keep the picture at full size.
    Pixels,
}

/// Decodes the whole picture in `bytes` to learn whether it is sound, keeping no pixels.
///
/// # Errors
///
/// Why the bytes give no picture.
pub fn check(bytes: &[u8], limits: &ReadLimits) -> Result<Picture, Trouble> {
    read(bytes, limits, Keep::Nothing)
}

/// Decodes the picture in `bytes` at full size.
///
/// # Errors
///
/// Why the bytes give no picture.
pub fn decode(bytes: &[u8], limits: &ReadLimits) -> Result<Picture, Trouble> {
    read(bytes, limits, Keep::Pixels)
}

fn read(bytes: &[u8], limits: &ReadLimits, keep: Keep) -> Result<Picture, Trouble> {
    if bytes.is_empty() {
        return Err(Trouble::Empty);
    }
    limits.admit_file(bytes.len() as u64)?;
    let format = match content(bytes) {
        Content::Picture(format) => format,
        Content::OtherPicture(name) => return Err(Trouble::Unsupported(name.to_owned())),
        Content::Other(what) => return Err(Trouble::NotAnImage(what)),
    };
    let mut picture = guarded(format, || match format {
        Format::Jpeg => jpeg::read(bytes, limits, keep),
        Format::Png => png::read(bytes, limits, keep),
        Format::WebP => webp::read(bytes, limits),
        Format::Gif => gif::read(bytes, limits),
        Format::Bmp | Format::Tiff | Format::Pnm | Format::Qoi => {
            others::read(format, bytes, limits)
        }
    })?;
    if picture.facts.width_px == 0 || picture.facts.height_px == 0 {
        return Err(Trouble::Damaged(format, "the picture has no pixels".to_owned()));
    }
    if keep == Keep::Nothing {
        picture.pixels = Pixels::default();
    }
    let turn = picture.facts.orientation;
    if orientation::swaps_sides(turn) {
        let facts = &mut picture.facts;
        (facts.width_px, facts.height_px) = (facts.height_px, facts.width_px);
    }
    picture.pixels = orientation::upright(picture.pixels, turn);
    Ok(picture)
}

/// Reads a picture; a decoder that panics has met a damaged file, and must not end the run.
fn guarded(
    format: Format,
    read: impl FnOnce() -> Result<Picture, Trouble>,
) -> Result<Picture, Trouble> {
    catch_unwind(AssertUnwindSafe(read)).unwrap_or_else(|_| {
        Err(Trouble::Damaged(format, "the decoder cannot cope with its data".to_owned()))
    })
}

impl ReadLimits {
    /// Refuses a file beyond the limit.
    fn admit_file(&self, size_bytes: u64) -> Result<(), Trouble> {
        let limit = self.file_bytes;
        if size_bytes > limit {
            let reason = format!("the file has {size_bytes} bytes; the limit is {limit}");
            return Err(Trouble::OverLimit(reason));
        }
        Ok(())
    }

    /// Refuses a picture of `width` x `height` beyond the limit. To be called with the sizes of
    /// the header, before anything is allocated.
    fn admit(&self, width: u32, height: u32) -> Result<(), Trouble> {
        let pixels = u64::from(width) * u64::from(height);
        if pixels > self.pixels {
            let limit = self.pixels;
            return Err(Trouble::OverLimit(format!(
                "{width} x {height} is {pixels} pixels; the limit is {limit}"
            )));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests;
