//! One image in 124 numbers: its shapes, its colours, its edges.

use std::sync::LazyLock;

use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};

/// How many numbers describe an image.
pub const NUMBERS: usize = FREQUENCIES * FREQUENCIES + 3 * MOMENTS + CELLS * CELLS * DIRECTIONS;
/// Frequencies of luma in each direction, the mean included.
const FREQUENCIES: usize = 8;
/// Moments of each channel: mean, and the roots of the second, third and fourth moment around it.
const MOMENTS: usize = 4;
/// Rows and columns of cells in which edges are summed.
const CELLS: usize = 4;
/// Directions of edges: thirds of a half circle.
const DIRECTIONS: usize = 3;

/// The numbers of one image: 8 x 8 coefficients of the discrete cosine transform of its luma (DCT-II), four moments of luma
/// and of both chroma channels, and the strength of edges in three directions in 4 x 4 cells. The scales of these differ;
/// compare them standardised.
pub fn numbers(thumbnail: &Thumbnail) -> [f32; NUMBERS] {
    let luma: Vec<f32> = thumbnail.luma().iter().map(|&value| unit(value)).collect();
    let mut numbers = Vec::with_capacity(NUMBERS);
    numbers.extend(frequencies(&luma));
    numbers.extend(moments(&luma));
    for plane in thumbnail.chroma() {
        let plane: Vec<f32> = plane.iter().map(|&value| unit(value)).collect();
        debug_assert_eq!(plane.len(), CHROMA_PX * CHROMA_PX);
        numbers.extend(moments(&plane));
    }
    numbers.extend(edges(&luma));
    numbers.try_into().expect("the parts add up")
}

fn unit(level: u8) -> f32 {
    f32::from(level) / 255.0
}

/// The waves of each frequency, from one side to the other.
static WAVES: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let side = LUMA_PX as f32;
    let wave = |frequency: usize, at: usize| {
        let scale = if frequency == 0 { 1.0 } else { 2.0f32 };
        let angle = std::f32::consts::PI * (at as f32 + 0.5) * frequency as f32 / side;
        angle.cos() * (scale / side).sqrt()
    };
    (0..FREQUENCIES).flat_map(|frequency| (0..LUMA_PX).map(move |at| wave(frequency, at))).collect()
});

/// The lowest frequencies, over the side of the image.
fn frequencies(luma: &[f32]) -> Vec<f32> {
    let side = LUMA_PX as f32;
    let mut rows = vec![0.0f32; LUMA_PX * FREQUENCIES];
    for (row, into) in luma.chunks_exact(LUMA_PX).zip(rows.chunks_exact_mut(FREQUENCIES)) {
        for (into, wave) in into.iter_mut().zip(WAVES.chunks_exact(LUMA_PX)) {
            *into = row.iter().zip(wave).map(|(value, wave)| value * wave).sum();
        }
    }
    let mut all = vec![0.0f32; FREQUENCIES * FREQUENCIES];
    for (into, wave) in all.chunks_exact_mut(FREQUENCIES).zip(WAVES.chunks_exact(LUMA_PX)) {
        for (row, wave) in rows.chunks_exact(FREQUENCIES).zip(wave) {
            into.iter_mut().zip(row).for_each(|(sum, value)| *sum += value * wave / side);
        }
    }
    all
}

/// The mean, and the roots of the moments around it, which are in the unit of the values. Summed with all digits: in a plane
/// of one colour nothing must be left that a comparison could enlarge.
fn moments(values: &[f32]) -> [f32; MOMENTS] {
    let count = values.len() as f64;
    let mean = values.iter().map(|&value| f64::from(value)).sum::<f64>() / count;
    let mut sums = [0.0f64; 3];
    for &value in values {
        let off = f64::from(value) - mean;
        let square = off * off;
        sums[0] += square;
        sums[1] += square * off;
        sums[2] += square * square;
    }
    let [second, third, fourth] = sums.map(|sum| sum / count);
    [mean, second.sqrt(), third.cbrt(), fourth.sqrt().sqrt()].map(|moment| moment as f32)
}

/// The mean slope in each cell and direction, as its root: strong edges do not drown faint ones.
fn edges(luma: &[f32]) -> Vec<f32> {
    let inner = LUMA_PX - 2;
    let mut sums = [0.0f32; CELLS * CELLS * DIRECTIONS];
    let mut counts = [0.0f32; CELLS * CELLS];
    // The tangent of 30 degrees: slopes within 30 degrees of the horizontal are one direction.
    let flat = 1.0 / 3.0f32.sqrt();
    for y in 0..inner {
        for x in 0..inner {
            let at = (y + 1) * LUMA_PX + x + 1;
            let (right, down) =
                (luma[at + 1] - luma[at - 1], luma[at + LUMA_PX] - luma[at - LUMA_PX]);
            let direction = match () {
                () if down.abs() < flat * right.abs() => 0,
                () if right * down > 0.0 => 1,
                () => 2,
            };
            let cell = y * CELLS / inner * CELLS + x * CELLS / inner;
            sums[cell * DIRECTIONS + direction] += (right * right + down * down).sqrt();
            counts[cell] += 1.0;
        }
    }
    let mean = |(at, sum): (usize, &f32)| (sum / counts[at / DIRECTIONS]).sqrt();
    sums.iter().enumerate().map(mean).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn thumbnail(luma: &dyn Fn(usize, usize) -> u8, chroma: [u8; 2]) -> Thumbnail {
        let mut bytes: Vec<u8> =
            (0..LUMA_PX * LUMA_PX).map(|at| luma(at % LUMA_PX, at / LUMA_PX)).collect();
        chroma.iter().for_each(|&level| bytes.extend([level; CHROMA_PX * CHROMA_PX]));
        Thumbnail(bytes)
    }

    #[test]
    fn numbers_say_what_they_are_named_after() {
        let uniform = numbers(&thumbnail(&|_, _| 102, [51, 204]));
        // The mean of luma is the first coefficient and the first moment; nothing varies.
        let near = |value: f32, expected: f32| {
            assert!((value - expected).abs() < 1e-5, "{value} is not {expected}");
        };
        near(uniform[0], 0.4);
        near(uniform[64], 0.4);
        near(uniform[68], 0.2);
        near(uniform[72], 0.8);
        assert!(uniform[1..64].iter().all(|value| value.abs() < 1e-5));
        assert!(uniform[65..68].iter().all(|value| value.abs() < 1e-6), "{:?}", &uniform[65..68]);
        assert!(uniform[76..].iter().all(|value| *value == 0.0));
        // Stripes of a period of 12 are the eighth frequency across, 48 / 12 * 2, which is beyond those that are kept; of a
        // period of 24 the fourth. Their edges are vertical only.
        let wave = |x: usize| (std::f32::consts::PI * (x as f32 + 0.5) * 4.0 / 48.0).cos();
        let stripes = numbers(&thumbnail(&|x, _| (127.5 + 100.0 * wave(x)) as u8, [128; 2]));
        let strongest = (1..64).max_by(|&a, &b| stripes[a].abs().total_cmp(&stripes[b].abs()));
        assert_eq!(strongest, Some(4));
        assert!((0..16).all(|cell| stripes[76 + cell * 3] > 0.2));
        assert!((0..16).all(|cell| stripes[77 + cell * 3] < 0.05 && stripes[78 + cell * 3] < 0.05));
        // One dark half: skewed towards neither; a dark corner is.
        let corner = numbers(&thumbnail(&|x, y| if x < 12 && y < 12 { 0 } else { 200 }, [128; 2]));
        assert!(corner[66] < -0.1, "{}", corner[66]);
    }
}
