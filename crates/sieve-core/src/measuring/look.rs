//! Measures: numbers about how a picture looks.

use super::grid::{Grid, SIDE};

/// How a picture looks, in numbers. All are of the picture as it is seen: upright, transparency on
/// white. Means are those of the picture; a JPEG is measured at a reduced size, which takes the
/// finest grain out of the deviations (docs/reading.md says how much).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Look {
    /// Mean of red, green and blue, each 0 to 255.
    pub mean: [f32; 3],
    /// Standard deviation of red, green and blue over the pixels, each 0 to 127.5.
    pub deviation: [f32; 3],
    /// Mean luma as a share of white, 0 to 1. Luma is 0.299 red + 0.587 green + 0.114 blue
    /// (ITU-R BT.601).
    pub brightness: f32,
    /// Standard deviation of luma over the 64 x 64 cells as a share of white, 0 to 0.5 (root mean
    /// square contrast: Peli, Contrast in complex images, 1990).
    pub contrast: f32,
    /// How much of the variation of luma lies between neighbouring cells: mean square difference
    /// of neighbours over twice the variance, which is 1 minus the correlation of neighbours. 0 is
    /// smooth, 1 is noise; 0 for a picture without contrast.
    pub sharpness: f32,
    /// Mean saturation of the cells, (most - least) / most of red, green and blue, 0 grey to 1
    /// (the S of HSV: Smith, Color gamut transform pairs, 1978).
    pub saturation: f32,
    /// Share of the cells, 0 to 1, within 8 levels of the picture's most frequent colour.
    pub flat_share: f32,
}

/// Distance in levels, for each channel, within which a cell has the most frequent colour: below
/// what is seen as another colour, above the noise of compression.
const FLAT_LEVELS: f32 = 8.0;

/// Standard deviation of luma, in levels, below which a picture has no contrast to speak of.
const NO_CONTRAST: f32 = 0.5;

impl Look {
    /// The numbers of a picture. `deviation` was taken from its pixels.
    pub(super) fn of(grid: &Grid, luma: &[f32], deviation: [f32; 3]) -> Self {
        let cells = (SIDE * SIDE) as f32;
        let mut mean = [0.0f32; 3];
        let mut saturation = 0.0;
        for colour in grid.colours() {
            for (sum, value) in mean.iter_mut().zip(colour) {
                *sum += value;
            }
            let most = colour[0].max(colour[1]).max(colour[2]);
            let least = colour[0].min(colour[1]).min(colour[2]);
            if most > 0.0 {
                saturation += (most - least) / most;
            }
        }
        let brightness = luma.iter().sum::<f32>() / cells;
        let variance = luma.iter().map(|l| (l - brightness).powi(2)).sum::<f32>() / cells;
        let spread = variance.sqrt();
        Look {
            mean: mean.map(|sum| sum / cells),
            deviation,
            brightness: (brightness / 255.0).clamp(0.0, 1.0),
            contrast: spread / 255.0,
            sharpness: if spread < NO_CONTRAST { 0.0 } else { roughness(luma) / (2.0 * variance) },
            saturation: saturation / cells,
            flat_share: flat_share(grid),
        }
    }
}

/// Mean square difference of neighbouring cells.
fn roughness(luma: &[f32]) -> f32 {
    let rows = luma.chunks_exact(SIDE);
    let across: f32 =
        rows.map(|row| row.windows(2).map(|pair| (pair[0] - pair[1]).powi(2)).sum::<f32>()).sum();
    let down: f32 = luma.iter().zip(&luma[SIDE..]).map(|(a, b)| (a - b).powi(2)).sum();
    (across + down) / (2 * SIDE * (SIDE - 1)) as f32
}

/// The share of cells with the most frequent colour: the mean of the fullest of 16 x 16 x 16 boxes.
fn flat_share(grid: &Grid) -> f32 {
    let index = |colour: [f32; 3]| {
        colour.iter().fold(0, |index, value| index << 4 | ((value / 16.0) as usize).min(15))
    };
    let mut counts = vec![0u16; 1 << 12];
    for colour in grid.colours() {
        counts[index(colour)] += 1;
    }
    // The last of equals: any rule serves, but it must be one.
    let fullest = (0..counts.len()).max_by_key(|&index| counts[index]).unwrap_or(0);
    let mut sum = [0.0f32; 3];
    for colour in grid.colours().filter(|&colour| index(colour) == fullest) {
        for (sum, value) in sum.iter_mut().zip(colour) {
            *sum += value;
        }
    }
    let mean = sum.map(|sum| sum / f32::from(counts[fullest].max(1)));
    let is_near = |colour: &[f32; 3]| {
        colour.iter().zip(mean).all(|(value, mean)| (value - mean).abs() <= FLAT_LEVELS)
    };
    grid.colours().filter(is_near).count() as f32 / (SIDE * SIDE) as f32
}
