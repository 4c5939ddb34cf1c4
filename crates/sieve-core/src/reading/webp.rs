//! WebP. Its container states its own length, which tells a cut at once.

use std::io::Cursor;

use image_webp::{DecodingError, WebPDecoder};

use super::memory::zeros;
use super::pixel_rows::DecodeRequest;
use super::{
    ColourMode, DecodedImage, Facts, Format, Pixels, ReadError, ReadLimits, ReadWarning, exif,
    profile,
};

pub(super) fn read(
    bytes: &[u8],
    limits: &ReadLimits,
    request: &mut DecodeRequest<'_>,
) -> Result<DecodedImage, ReadError> {
    let left = bytes_after_container(bytes)?;
    let mut decoder = WebPDecoder::new(Cursor::new(bytes)).map_err(read_error)?;
    let (width_px, height_px) = decoder.dimensions();
    limits.admit(width_px, height_px, if decoder.has_alpha() { 4 } else { 3 })?;
    let size = decoder.output_buffer_size().ok_or_else(|| {
        ReadError::OverLimit(format!("{width_px} x {height_px} does not fit into memory"))
    })?;
    let has_alpha = decoder.has_alpha();
    // Metadata that cannot be read is no reason to refuse the image.
    let reported = decoder.exif_metadata().ok().flatten();
    let reported = reported.as_deref().map(exif::facts).unwrap_or_default();
    let icc = decoder.icc_profile().ok().flatten();
    let facts = Facts {
        format: Format::WebP,
        width_px,
        height_px,
        colour: if has_alpha { ColourMode::Rgba } else { ColourMode::Rgb },
        bits: 8,
        frames: if decoder.is_animated() { decoder.num_frames().max(1) } else { 1 },
        orientation: reported.orientation,
        profile: icc.as_deref().map(profile::name),
        captured: reported.captured,
        camera: reported.camera,
    };
    // The buffer, what the decoder keeps of planes or colours, and a copy without transparency.
    let pixels = u64::from(width_px) * u64::from(height_px);
    let held = limits.memory.decode(size as u64 + pixels * if has_alpha { 7 } else { 4 });
    let mut buffer = zeros(size)?;
    decoder.read_image(&mut buffer).map_err(read_error)?;
    let mut read_warnings = Vec::new();
    if left > 0 {
        read_warnings.push(ReadWarning::TrailingBytes(left));
    }
    if let Some(number) = damaged_frame(&mut decoder, facts.frames, limits) {
        read_warnings.push(ReadWarning::Suspect(format!("frame {number} is damaged")));
    }
    let pixels = if has_alpha {
        Pixels::from_rgba(width_px, height_px, &buffer, request.ground)?
    } else {
        Pixels { width_px, height_px, data: buffer }
    };
    Ok(DecodedImage { facts, read_warnings, pixels: request.take(pixels), held })
}

/// The first frame behind the image that does not decode, if there is one. No part of the image,
/// but worth knowing: frames are decoded as long as they cost no more together than the largest
/// image that is admitted.
fn damaged_frame(
    decoder: &mut WebPDecoder<Cursor<&[u8]>>,
    frames: u32,
    limits: &ReadLimits,
) -> Option<u32> {
    let (width, height) = decoder.dimensions();
    let area = u64::from(width) * u64::from(height);
    let affordable = (limits.pixels / area.max(1)).min(u64::from(frames)) as u32;
    if frames < 2 || affordable < 2 {
        return None;
    }
    let mut canvas = zeros(decoder.output_buffer_size()?).ok()?;
    decoder.reset_animation();
    let is_damaged = |_: &u32| decoder.read_frame(&mut canvas).is_err();
    (1..=affordable).take_while(|_| !(limits.stopped)()).find(is_damaged)
}

/// How many bytes follow the RIFF container, which is padded to an even length.
fn bytes_after_container(bytes: &[u8]) -> Result<u64, ReadError> {
    let Some(size) = bytes.get(4..8) else {
        return Err(cut_short());
    };
    let stated = 8 + u64::from(u32::from_le_bytes(size.try_into().expect("4 bytes")));
    let length = bytes.len() as u64;
    if length < stated {
        return Err(cut_short());
    }
    // Some encoders leave the last byte of padding away.
    Ok(length.saturating_sub(stated + stated % 2))
}

fn cut_short() -> ReadError {
    ReadError::Truncated(Format::WebP, "the file is shorter than its header says".into())
}

fn read_error(error: DecodingError) -> ReadError {
    match error {
        DecodingError::ImageTooLarge | DecodingError::MemoryLimitExceeded => {
            ReadError::OverLimit(error.to_string())
        }
        DecodingError::UnsupportedFeature(feature) => {
            ReadError::Unsupported(format!("WebP variety: {feature}"))
        }
        error => ReadError::Damaged(Format::WebP, error.to_string()),
    }
}
