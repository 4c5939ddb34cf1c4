//! Thumbnails: what is kept of an image to compare it with others.

use super::grid::{Grid, SIDE, halved};

/// Rows and columns of a thumbnail's luma.
pub const LUMA_PX: usize = 48;
/// Rows and columns of each plane of a thumbnail's chroma.
pub const CHROMA_PX: usize = 16;
/// Rows and columns that fingerprints are taken from.
const COARSE_PX: usize = 32;

/// An image squeezed to a square, whatever its sides: 48 x 48 values of luma, then 16 x 16 of blue
/// and 16 x 16 of red chroma (Y, Cb and Cr of JFIF 1.02), row-major, 0 to 255. 2816 bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Thumbnail(pub Vec<u8>);

impl Thumbnail {
    /// Bytes of one.
    pub const BYTES: usize = LUMA_PX * LUMA_PX + 2 * CHROMA_PX * CHROMA_PX;

    /// Luma, [`LUMA_PX`] rows.
    pub fn luma(&self) -> &[u8] {
        &self.0[..LUMA_PX * LUMA_PX]
    }

    /// Blue and red chroma, [`CHROMA_PX`] rows each.
    pub fn chroma(&self) -> [&[u8]; 2] {
        let (blue, red) = self.0[LUMA_PX * LUMA_PX..].split_at(CHROMA_PX * CHROMA_PX);
        [blue, red]
    }
}

/// What all is taken from: an image in planes.
pub(super) struct Planes {
    /// 64 x 64 values of luma.
    pub luma: Vec<f32>,
    /// Red, green and blue, 32 x 32 each.
    pub small: [Vec<f32>; 3],
    /// Luma, blue chroma and red chroma, 32 x 32 each.
    pub coarse: [Vec<f32>; 3],
}

impl Planes {
    pub fn new(grid: &Grid) -> Self {
        let luma = luma_of(grid);
        let small = [0, 1, 2].map(|channel| halved(&grid.0[channel], SIDE));
        let [blue, red] = CHROMA.map(|weights| weighted(&small, weights, 128.0));
        Planes { coarse: [halved(&luma, SIDE), blue, red], luma, small }
    }

    pub fn thumbnail(&self) -> Thumbnail {
        let [_, blue, red] = &self.coarse;
        let luma = three_of_four(&self.luma);
        let (blue, red) = (halved(blue, COARSE_PX), halved(red, COARSE_PX));
        let planes = [luma, blue, red];
        Thumbnail(planes.iter().flatten().map(|&value| rounded(value)).collect())
    }
}

/// What luma, and blue and red chroma, take of red, green and blue: JFIF 1.02.
pub const LUMA: [f32; 3] = [0.299, 0.587, 0.114];
/// See [`LUMA`]; chroma lies around 128.
pub const CHROMA: [[f32; 3]; 2] = [[-0.168_736, -0.331_264, 0.5], [0.5, -0.418_688, -0.081_312]];

/// Luma.
pub fn luma_of(grid: &Grid) -> Vec<f32> {
    weighted(&grid.0, LUMA, 0.0)
}

/// The weighted sum of three planes.
fn weighted(planes: &[Vec<f32>; 3], weights: [f32; 3], offset: f32) -> Vec<f32> {
    let [red, green, blue] = planes;
    let colours = red.iter().zip(green).zip(blue);
    let value = |((red, green), blue): ((&f32, &f32), &f32)| {
        red * weights[0] + green * weights[1] + blue * weights[2] + offset
    };
    colours.map(value).collect()
}

/// 48 x 48 cells of 64 x 64: the mean of what lies in each.
fn three_of_four(luma: &[f32]) -> Vec<f32> {
    let line = |line: &[f32; SIDE]| -> [f32; LUMA_PX] {
        // Three cells cover four: one and a third, twice two thirds, a third and one.
        let part = |at: usize| {
            let four = &line[at / 3 * 4..at / 3 * 4 + 4];
            match at % 3 {
                0 => (3.0 * four[0] + four[1]) / 4.0,
                1 => (four[1] + four[2]) / 2.0,
                _ => (four[2] + 3.0 * four[3]) / 4.0,
            }
        };
        std::array::from_fn(part)
    };
    let rows: Vec<[f32; LUMA_PX]> = luma.as_chunks().0.iter().map(line).collect();
    let columns = (0..LUMA_PX).map(|x| line(&std::array::from_fn(|y| rows[y][x])));
    let columns: Vec<[f32; LUMA_PX]> = columns.collect();
    (0..LUMA_PX * LUMA_PX).map(|at| columns[at % LUMA_PX][at / LUMA_PX]).collect()
}

/// The nearest whole number; a conversion keeps to 0 and 255 by itself.
fn rounded(value: f32) -> u8 {
    (value + 0.5) as u8
}
