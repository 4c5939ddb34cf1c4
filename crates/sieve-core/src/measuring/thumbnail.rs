//! Thumbnails and descriptors: what is kept of a picture to compare it with others.

use super::grid::{Grid, SIDE};

/// Side of a thumbnail in pixels.
pub const THUMBNAIL_PX: usize = 32;
/// Side of its planes of colour.
const COLOUR_PX: usize = THUMBNAIL_PX / 2;
/// Rows and columns of parts that a descriptor tells apart.
const PARTS: usize = 4;

/// A picture of 32 x 32 pixels, whatever its sides: 32 x 32 values of luma, then 16 x 16 of blue
/// and 16 x 16 of red chroma (Y, Cb and Cr of JFIF 1.02), row-major, 0 to 255. 1536 bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Thumbnail(pub Vec<u8>);

/// How a picture looks in 64 numbers, 0 to 255; pictures with near ones look alike.
///
/// For each of 4 x 4 parts, row by row: mean luma, blue chroma, red chroma, and four times the mean
/// difference of neighbouring cells in luma.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Descriptor(pub [u8; PARTS * PARTS * 4]);

/// The planes of a picture, 64 x 64 values each.
pub(super) struct Planes {
    pub luma: Vec<f32>,
    blue: Vec<f32>,
    red: Vec<f32>,
}

impl Planes {
    pub fn of(grid: &Grid) -> Self {
        let plane = |weights: [f32; 3], offset: f32| {
            let value =
                |[r, g, b]: [f32; 3]| r * weights[0] + g * weights[1] + b * weights[2] + offset;
            grid.colours().map(value).collect()
        };
        Planes {
            luma: plane([0.299, 0.587, 0.114], 0.0),
            blue: plane([-0.168_736, -0.331_264, 0.5], 128.0),
            red: plane([0.5, -0.418_688, -0.081_312], 128.0),
        }
    }

    /// The luma at the size of a thumbnail.
    pub fn small_luma(&self) -> Vec<f32> {
        Grid::halved(&self.luma, SIDE)
    }

    pub fn thumbnail(&self, small_luma: &[f32]) -> Thumbnail {
        let mut values: Vec<u8> = small_luma.iter().map(|&value| rounded(value)).collect();
        for plane in [&self.blue, &self.red] {
            let quarter = Grid::halved(&Grid::halved(plane, SIDE), SIDE / 2);
            values.extend(quarter.iter().map(|&value| rounded(value)));
        }
        debug_assert_eq!(values.len(), THUMBNAIL_PX * THUMBNAIL_PX + 2 * COLOUR_PX * COLOUR_PX);
        Thumbnail(values)
    }

    pub fn descriptor(&self) -> Descriptor {
        const SPAN: usize = SIDE / PARTS;
        let mut values = [0; PARTS * PARTS * 4];
        for (part, values) in values.chunks_exact_mut(4).enumerate() {
            let (top, left) = (part / PARTS * SPAN, part % PARTS * SPAN);
            let mean = |plane: &[f32]| {
                let rows = (top..top + SPAN).map(|y| &plane[y * SIDE + left..][..SPAN]);
                rows.map(|row| row.iter().sum::<f32>()).sum::<f32>() / (SPAN * SPAN) as f32
            };
            let difference = |y: usize, x: usize| {
                let here = self.luma[y * SIDE + x];
                (here - self.luma[y * SIDE + x + 1]).abs()
                    + (here - self.luma[(y + 1) * SIDE + x]).abs()
            };
            let inner = |start: usize| start..start + SPAN - 1;
            let differences: f32 =
                inner(top).map(|y| inner(left).map(|x| difference(y, x)).sum::<f32>()).sum();
            let edges = 4.0 * differences / (2 * (SPAN - 1) * (SPAN - 1)) as f32;
            let means = [mean(&self.luma), mean(&self.blue), mean(&self.red), edges];
            values.copy_from_slice(&means.map(rounded));
        }
        Descriptor(values)
    }
}

fn rounded(value: f32) -> u8 {
    value.round().clamp(0.0, 255.0) as u8
}
