//! A frame in floating point: what colours and filters act on, so that nothing is rounded in between.

use crate::reading::Pixels;

/// Red, green and blue of each pixel, row by row, from 0 to 255.
#[derive(Clone, Debug, PartialEq)]
pub struct Canvas {
    /// Columns in pixels.
    pub width_px: usize,
    /// Rows in pixels.
    pub height_px: usize,
    /// Three values a pixel.
    pub data: Vec<f32>,
}

/// Weights of red, green and blue in luma (ITU-R BT.709, as in the filters of CSS).
pub const LUMA: [f32; 3] = [0.2126, 0.7152, 0.0722];

impl Canvas {
    /// A copy in floating point.
    pub fn from_pixels(pixels: &Pixels) -> Self {
        Canvas {
            width_px: pixels.width_px as usize,
            height_px: pixels.height_px as usize,
            data: pixels.data.iter().map(|&value| f32::from(value)).collect(),
        }
    }

    /// Each value at the nearest whole level. By way of a whole number of 32 bits, which processors convert many at a
    /// time; directly to 8 bits they do it one by one.
    pub fn to_pixels(&self) -> Pixels {
        Pixels {
            width_px: self.width_px as u32,
            height_px: self.height_px as u32,
            data: self.data.iter().map(|&value| (value + 0.5) as i32 as u8).collect(),
        }
    }

    /// The values of a pixel.
    pub fn at(&self, column: usize, row: usize) -> [f32; 3] {
        let at = (row * self.width_px + column) * 3;
        [self.data[at], self.data[at + 1], self.data[at + 2]]
    }

    /// The mean colour.
    pub fn mean(&self) -> [f32; 3] {
        let mut sums = [0.0f64; 3];
        for pixel in self.data.as_chunks::<3>().0 {
            (0..3).for_each(|c| sums[c] += f64::from(pixel[c]));
        }
        sums.map(|sum| (sum / (self.data.len() / 3).max(1) as f64) as f32)
    }
}
