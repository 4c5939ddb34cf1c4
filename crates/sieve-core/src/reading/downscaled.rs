//! Images for looking at: smaller than they are, where that is cheaper to decode.

use super::orientation::upright;
use super::{DecodedImage, Pixels, ReadError, ReadLimits, Rows, Shape, decode_rows};

/// Keeps the rows that come.
#[derive(Default)]
struct Kept {
    pixels: Pixels,
}

impl Rows for Kept {
    fn begin(&mut self, shape: Shape) {
        self.pixels = Pixels { width_px: shape.columns, height_px: 0, data: Vec::new() };
    }

    fn row(&mut self, rgb: &[u8]) {
        self.pixels.data.extend_from_slice(rgb);
        self.pixels.height_px += 1;
    }
}

/// Decodes the image in `bytes`, upright. Where its format allows that it is decoded smaller, but with no side below
/// `least_side_px` that was not so before. The facts are those of the file.
///
/// # Errors
///
/// Why the bytes give no image.
pub fn decode_reduced(
    bytes: &[u8],
    limits: &ReadLimits,
    least_side_px: u32,
) -> Result<DecodedImage, ReadError> {
    let mut kept = Kept::default();
    let mut image = decode_rows(bytes, limits, least_side_px, &mut kept)?;
    image.pixels = upright(kept.pixels, image.facts.orientation)?;
    Ok(image)
}
