//! Quarter turns and mirror images.

use crate::reading::Pixels;

/// How the pixels of an original are to be ordered before they are resized or moved.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Turn {
    /// Whether columns and rows change places.
    pub transpose: bool,
    /// Whether the columns, as they are then, come from right to left.
    pub flip_x: bool,
    /// Whether the rows come from bottom to top.
    pub flip_y: bool,
}

impl Turn {
    /// All eight; none at all first.
    pub fn all() -> impl Iterator<Item = Turn> {
        (0..8u8).map(|way| Turn {
            transpose: way & 4 > 0,
            flip_x: way & 1 > 0,
            flip_y: way & 2 > 0,
        })
    }

    /// `pixels`, turned.
    pub fn applied(self, pixels: &Pixels) -> Pixels {
        if self == Turn::default() {
            return pixels.clone();
        }
        let (width, height) = (pixels.width_px as usize, pixels.height_px as usize);
        let (columns, rows) = if self.transpose { (height, width) } else { (width, height) };
        let mut data = Vec::with_capacity(pixels.data.len());
        for row in 0..rows {
            for column in 0..columns {
                let at = self.source([column, row], [columns, rows]);
                data.extend_from_slice(&pixels.data[(at[1] * width + at[0]) * 3..][..3]);
            }
        }
        Pixels { width_px: columns as u32, height_px: rows as u32, data }
    }

    /// Where the pixel at a column and row of an image of these sides stands once the image is turned.
    pub fn source(self, [column, row]: [usize; 2], [columns, rows]: [usize; 2]) -> [usize; 2] {
        let x = if self.flip_x { columns - 1 - column } else { column };
        let y = if self.flip_y { rows - 1 - row } else { row };
        if self.transpose { [y, x] } else { [x, y] }
    }
}
