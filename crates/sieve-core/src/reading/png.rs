//! PNG, driven to its very end: chunk sums, the stream's own sum, and the end chunk.

use std::borrow::Cow;
use std::io::Cursor;

use png::{BitDepth, ColorType, DecodeOptions, Decoder, DecodingError, Transformations};

use super::rows::{Shape, Want};
use super::{ColourMode, Doubt, Facts, Format, Picture, Pixels, ReadLimits, Trouble, exif, pixels};

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
    let (end, profile) = walk_chunks(bytes);
    let mut whole = Cow::Borrowed(bytes);
    match end {
        End::Complete(_) => {}
        End::Inside => return Err(cut_short()),
        // If the picture decodes once the mark is there, only the mark was missing.
        End::Missing => whole.to_mut().extend(END_CHUNK),
    }
    let (mut picture, doubt) = match decode(&whole, limits, want, Checks::All) {
        Ok(picture) => (picture, None),
        // A sum that is wrong outside of the picture's own chunks leaves the picture whole.
        Err(trouble @ Trouble::Damaged(..)) => {
            let doubt = Doubt::Suspect("a chunk beside the picture is damaged".into());
            match decode(&whole, limits, want, Checks::PictureOnly) {
                Ok(picture) => (picture, Some(doubt)),
                Err(_) if matches!(end, End::Missing) => return Err(cut_short()),
                Err(_) => return Err(trouble),
            }
        }
        Err(other) => return Err(other),
    };
    picture.doubts.extend(doubt);
    picture.facts.profile = profile;
    match end {
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

fn decode(
    bytes: &[u8],
    limits: &ReadLimits,
    want: &mut Want<'_>,
    checks: Checks,
) -> Result<Picture, Trouble> {
    let mut options = DecodeOptions::default();
    options.set_ignore_adler32(false);
    options.set_skip_ancillary_crc_failures(checks == Checks::PictureOnly);
    options.set_ignore_text_chunk(true);
    options.set_ignore_iccp_chunk(true); // its profile may unpack to hundreds of megabytes
    let mut decoder = Decoder::new_with_options(Cursor::new(bytes), options);
    decoder.set_limits(png::Limits { bytes: CHUNK_BYTES });
    decoder.set_transformations(Transformations::EXPAND | Transformations::STRIP_16);
    let header = decoder.read_header_info().map_err(trouble)?;
    limits.admit(header.width, header.height, header.bytes_per_pixel() as u64)?;
    let mut reader = decoder.read_info().map_err(trouble)?;
    let (width_px, height_px) = (reader.info().width, reader.info().height);

    let stored = reader.output_color_type().0;
    let mut whole = Pixels::default();
    match want {
        Want::Rows { rows, .. } if !reader.info().interlaced => {
            rows.begin(Shape::full(width_px, height_px));
            let mut rgb = Vec::new();
            while let Some(row) = reader.next_row().map_err(trouble)? {
                match stored {
                    ColorType::Rgb => rows.row(row.data()),
                    _ => {
                        rgb.clear();
                        append_rgb(&mut rgb, stored, row.data());
                        rows.row(&rgb);
                    }
                }
            }
        }
        want => {
            let size = reader.output_buffer_size().ok_or_else(|| {
                Trouble::OverLimit(format!("{width_px} x {height_px} does not fit into memory"))
            })?;
            let mut buffer = vec![0; size];
            reader.next_frame(&mut buffer).map_err(trouble)?;
            let mut data = Vec::with_capacity(width_px as usize * height_px as usize * 3);
            append_rgb(&mut data, stored, &buffer);
            whole = want.take(Pixels { width_px, height_px, data });
        }
    }
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
    Ok(Picture { facts, doubts: Vec::new(), pixels: whole })
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

/// Follows the chunks (length, name, data, sum) and looks inside of none but that of the colour
/// profile: its name stands at its beginning.
fn walk_chunks(bytes: &[u8]) -> (End, Option<Box<str>>) {
    let mut at = 8; // behind the signature
    let mut profile = None;
    while at < bytes.len() {
        let Some(header) = bytes.get(at..at + 8) else {
            return (End::Inside, profile);
        };
        let length = u32::from_be_bytes(header[..4].try_into().expect("4 bytes")) as usize;
        let data = at + 8;
        at = at.saturating_add(length).saturating_add(12);
        if at > bytes.len() {
            return (End::Inside, profile);
        }
        match &header[4..] {
            b"IEND" => return (End::Complete((bytes.len() - at) as u64), profile),
            b"iCCP" => {
                let name = bytes[data..data + length].split(|&byte| byte == 0).next();
                let name: String = name.unwrap_or_default().iter().map(|&b| b as char).collect();
                profile = Some(name.into());
            }
            _ => {}
        }
    }
    (End::Missing, profile)
}
