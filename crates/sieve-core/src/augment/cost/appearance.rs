//! How a frame looks, as a short list of numbers: frames that look alike have near ones. It tells digits, letters,
//! shapes and colours apart, not what things are.

use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};

/// Rows and columns of cells in which edges are counted.
const CELLS: usize = 6;
/// Directions of edges: eighths of a circle.
const DIRECTIONS: usize = 8;
/// Rows and columns of cells in which colours are.
const COLOURS: usize = 4;

/// The numbers of one frame.
#[derive(Clone, Debug, PartialEq)]
pub struct Appearance(Vec<f32>);

impl Appearance {
    /// Directions of edges in 6 x 6 cells, each cell as strong as any other (after Dalal and Triggs, Histograms of
    /// oriented gradients, 2005), then the colours of 4 x 4.
    pub fn new(thumbnail: &Thumbnail) -> Self {
        let mut numbers = edges(thumbnail.luma());
        for plane in thumbnail.chroma() {
            let side = CHROMA_PX / COLOURS;
            for cell in 0..COLOURS * COLOURS {
                let (top, left) = (cell / COLOURS * side, cell % COLOURS * side);
                let values = (0..side * side)
                    .map(|at| f32::from(plane[(top + at / side) * CHROMA_PX + left + at % side]));
                let mean = values.sum::<f32>() / (side * side) as f32;
                numbers.push((mean - 128.0) / 128.0);
            }
        }
        Appearance(numbers)
    }

    /// Squared distance to another.
    pub fn distance(&self, other: &Appearance) -> f32 {
        let mut sums = [0.0f32; 8];
        let (a, b) = (self.0.as_chunks::<8>().0, other.0.as_chunks::<8>().0);
        for (a, b) in a.iter().zip(b) {
            (0..8).for_each(|lane| sums[lane] += (a[lane] - b[lane]) * (a[lane] - b[lane]));
        }
        sums.iter().sum()
    }
}

fn edges(luma: &[u8]) -> Vec<f32> {
    let side = LUMA_PX / CELLS;
    let mut cells = vec![[0.0f32; DIRECTIONS]; CELLS * CELLS];
    for y in 1..LUMA_PX - 1 {
        for x in 1..LUMA_PX - 1 {
            let at = y * LUMA_PX + x;
            let slope = |a: usize, b: usize| f32::from(luma[a]) - f32::from(luma[b]);
            let (right, down) = (slope(at + 1, at - 1), slope(at + LUMA_PX, at - LUMA_PX));
            let octant = usize::from(right < 0.0)
                | usize::from(down < 0.0) << 1
                | usize::from(down.abs() > right.abs()) << 2;
            cells[y / side * CELLS + x / side][octant] += right.hypot(down);
        }
    }
    // Two levels of slope in every pixel are the noise of a flat ground: such a cell has no direction.
    let floor = 2.0 * (side * side) as f32;
    let scale = 1.0 / CELLS as f32;
    let normal = |cell: &[f32; DIRECTIONS]| {
        let length = cell.iter().map(|v| v * v).sum::<f32>().sqrt() + floor;
        cell.map(|value| value / length * scale)
    };
    cells.iter().flat_map(normal).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_shape_is_nearer_to_itself_darkened_than_to_itself_turned() {
        let of = |luma: &dyn Fn(usize, usize) -> u8| {
            let mut bytes: Vec<u8> =
                (0..LUMA_PX * LUMA_PX).map(|at| luma(at % LUMA_PX, at / LUMA_PX)).collect();
            bytes.resize(Thumbnail::BYTES, 128);
            Appearance::new(&Thumbnail(bytes))
        };
        let ring = |x: usize, y: usize| {
            (10..38).contains(&x) && (24..44).contains(&y) || (10..16).contains(&x) && y > 4
        };
        let six = of(&|x, y| if ring(x, y) { 200 } else { 20 });
        let darker = of(&|x, y| if ring(x, y) { 120 } else { 10 });
        let nine = of(&|x, y| if ring(47 - x, 47 - y) { 200 } else { 20 });
        assert!(
            six.distance(&darker) * 10.0 < six.distance(&nine),
            "{} {}",
            six.distance(&darker),
            six.distance(&nine)
        );
    }
}
