//! A picture as planes of numbers that can be looked up between their cells.

use super::frame::Region;
use crate::affine::Affine;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};

/// Points that are looked up side by side.
const LANES: usize = 8;

/// A square of values whose whole is the square from -0.5 to 0.5 in `x` (right) and `y` (down).
#[derive(Clone, Debug)]
pub struct Plane {
    side: usize,
    /// Row-major. The last column and the last row are there twice, so that every cell has a
    /// neighbour to the right and below.
    values: Vec<f32>,
}

impl Plane {
    fn of_bytes(side: usize, bytes: &[u8]) -> Self {
        Plane::of_rows(side, bytes.chunks_exact(side).map(|row| row.iter().copied().map(f32::from)))
    }

    fn of_rows(side: usize, rows: impl Iterator<Item = impl Iterator<Item = f32>>) -> Self {
        let mut values = Vec::with_capacity((side + 1) * (side + 1));
        for row in rows {
            values.extend(row);
            values.push(values[values.len() - 1]);
        }
        values.extend_from_within((side - 1) * (side + 1)..);
        Plane { side, values }
    }

    /// Half as many rows and columns: the mean of each four values.
    pub fn halved(&self) -> Self {
        let pairs = self.values.chunks_exact(2 * (self.side + 1));
        let rows = pairs.map(|rows| {
            let (above, below) = rows.split_at(self.side + 1);
            let pairs = above.as_chunks::<2>().0.iter().zip(below.as_chunks::<2>().0);
            pairs.map(|(a, b)| (a[0] + a[1] + b[0] + b[1]) / 4.0)
        });
        Plane::of_rows(self.side / 2, rows)
    }

    /// The same with what lies outside of `region` and within a cell of its edge painted over by the
    /// nearest cell inside.
    fn within(&self, region: &Region) -> Self {
        let cells = self.side as f32;
        let inside = |from: f32, to: f32| {
            let first = ((from + 0.5) * cells + 1.0).ceil() as usize;
            let last = ((to + 0.5) * cells - 2.0).floor() as usize;
            (first, last.max(first))
        };
        let (left, right) = inside(region.left, region.right);
        let (top, bottom) = inside(region.top, region.bottom);
        let rows = (0..self.side).map(|y| {
            let row = self.row(y.clamp(top, bottom));
            (0..self.side).map(move |x| row[x.clamp(left, right)])
        });
        Plane::of_rows(self.side, rows)
    }

    /// Rows, and columns.
    pub fn side(&self) -> usize {
        self.side
    }

    /// The values of one row.
    pub fn row(&self, row: usize) -> &[f32] {
        &self.values[row * (self.side + 1)..][..self.side]
    }

    /// The values at a grid of `count` x `count` points, row by row, whose square `map` brings to
    /// this plane: between four cells their weighted mean; beyond the outermost centres the value of
    /// the nearest.
    #[inline(always)]
    pub fn sample(&self, map: &Affine, count: usize, into: &mut Vec<f32>) {
        into.resize(count * count, 0.0);
        let (last, stride) = ((self.side - 1) as f32, self.side + 1);
        // The map in cells, so that points become places in one step.
        let scale = self.side as f32;
        let step = 1.0 / count as f32;
        let [a, b, c, d, e, f] = map.0.map(|value| value as f32);
        let (right, below) = ([a, d].map(|v| v * step * scale), [b, e].map(|v| v * step * scale));
        let start = [(a, b, c), (d, e, f)]
            .map(|(x, y, shift)| ((x + y) * (0.5 * step - 0.5) + shift + 0.5) * scale - 0.5);
        for (row, values) in into.chunks_exact_mut(count).enumerate() {
            let row = row as f32;
            let first = [start[0] + below[0] * row, start[1] + below[1] * row];
            for (chunk, values) in values.chunks_mut(LANES).enumerate() {
                let mut four = [[0.0f32; LANES]; 4];
                let (mut dx, mut dy, mut at) = ([0.0f32; LANES], [0.0f32; LANES], [0i32; LANES]);
                for lane in 0..LANES {
                    let column = (chunk * LANES + lane) as f32;
                    let x = (first[0] + right[0] * column).max(0.0).min(last);
                    let y = (first[1] + right[1] * column).max(0.0).min(last);
                    // Between 0 and the side: a signed number converts in one step.
                    let (left, top) = (x as i32, y as i32);
                    (dx[lane], dy[lane]) = (x - left as f32, y - top as f32);
                    at[lane] = top * stride as i32 + left;
                }
                for lane in 0..LANES {
                    let cells = &self.values[at[lane] as usize..][..stride + 2];
                    four[0][lane] = cells[0];
                    four[1][lane] = cells[1];
                    four[2][lane] = cells[stride];
                    four[3][lane] = cells[stride + 1];
                }
                let mut mixed = [0.0f32; LANES];
                for lane in 0..LANES {
                    let upper = four[0][lane] + (four[1][lane] - four[0][lane]) * dx[lane];
                    let lower = four[2][lane] + (four[3][lane] - four[2][lane]) * dx[lane];
                    mixed[lane] = upper + (lower - upper) * dy[lane];
                }
                values.copy_from_slice(&mixed[..values.len()]);
            }
        }
    }
}

/// The planes of one thumbnail.
#[derive(Clone, Debug)]
pub struct Planes {
    /// 48 x 48 luma.
    pub luma: Plane,
    /// 24 x 24 luma.
    pub half: Plane,
    /// 16 x 16 blue and red chroma.
    pub chroma: [Plane; 2],
}

impl Planes {
    /// The planes of `thumbnail`.
    pub fn of(thumbnail: &Thumbnail) -> Self {
        let luma = Plane::of_bytes(LUMA_PX, thumbnail.luma());
        let chroma = thumbnail.chroma().map(|plane| Plane::of_bytes(CHROMA_PX, plane));
        Planes { half: luma.halved(), luma, chroma }
    }

    /// The same with the border around `region` painted over by what is inside: its colour would
    /// bleed into the outermost cells of the content.
    pub fn within(&self, region: &Region) -> Self {
        let luma = self.luma.within(region);
        let chroma = self.chroma.each_ref().map(|plane| plane.within(region));
        Planes { half: luma.halved(), luma, chroma }
    }
}
