//! The one kind of image that the rest of the program works on.

use std::borrow::Cow;

use super::ReadError;
use super::ground::Ground;
use super::memory::reserve;

/// An image of `height_px` rows x `width_px` columns x 3 channels (red, green, blue), row-major,
/// each value 0 to 255, gamma-encoded as in its file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Pixels {
    /// Columns.
    pub width_px: u32,
    /// Rows.
    pub height_px: u32,
    /// `height_px` x `width_px` x 3 values.
    pub data: Vec<u8>,
}

impl From<Pixels> for Cow<'_, Pixels> {
    fn from(pixels: Pixels) -> Self {
        Cow::Owned(pixels)
    }
}

impl<'a> From<&'a Pixels> for Cow<'a, Pixels> {
    fn from(pixels: &'a Pixels) -> Self {
        Cow::Borrowed(pixels)
    }
}

impl Pixels {
    /// The colour at a column and row.
    ///
    /// # Panics
    ///
    /// When the position is outside of the image.
    pub fn at(&self, column: u32, row: u32) -> [u8; 3] {
        let start = (row as usize * self.width_px as usize + column as usize) * 3;
        [self.data[start], self.data[start + 1], self.data[start + 2]]
    }

    /// Flattens rows of `[red, green, blue, alpha]`.
    ///
    /// # Errors
    ///
    /// When there is no memory for them.
    pub(super) fn from_rgba(
        width_px: u32,
        height_px: u32,
        rgba: &[u8],
        ground: Ground,
    ) -> Result<Self, ReadError> {
        let mut data = reserve(rgba.len() / 4 * 3)?;
        data.extend(rgba.chunks_exact(4).flat_map(|p| flatten([p[0], p[1], p[2]], p[3], ground)));
        Ok(Pixels { width_px, height_px, data })
    }
}

impl Pixels {
    /// Levels of grey, grey and alpha, RGB, or RGB and alpha - of one to four channels - as RGB.
    ///
    /// # Errors
    ///
    /// When there is no memory for them.
    pub(super) fn from_levels(
        width_px: u32,
        height_px: u32,
        channels: usize,
        levels: Vec<u8>,
        ground: Ground,
    ) -> Result<Self, ReadError> {
        let data = match channels {
            1 => {
                let mut data = reserve(levels.len() * 3)?;
                data.extend(levels.iter().flat_map(|&grey| [grey; 3]));
                data
            }
            2 => {
                let mut data = reserve(levels.len() / 2 * 3)?;
                let pairs = levels.as_chunks::<2>().0.iter();
                data.extend(pairs.flat_map(|&[grey, alpha]| flatten([grey; 3], alpha, ground)));
                data
            }
            3 => levels,
            _ => return Pixels::from_rgba(width_px, height_px, &levels, ground),
        };
        Ok(Pixels { width_px, height_px, data })
    }
}

/// One colour laid over a ground with `alpha` from 0 (clear) to 255 (solid), rounded to nearest.
pub(super) fn flatten(colour: [u8; 3], alpha: u8, ground: Ground) -> [u8; 3] {
    let (alpha, below) = (u32::from(alpha), u32::from(ground.level()));
    colour.map(|value| ((u32::from(value) * alpha + below * (255 - alpha) + 127) / 255) as u8)
}
