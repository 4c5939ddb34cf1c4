//! Measures: numbers about how a picture looks.

use super::grid::{SIDE, mean};
use super::thumbnail::Planes;

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
    /// Mean saturation of 32 x 32 cells, (most - least) / most of red, green and blue, 0 grey to 1
    /// (the S of HSV: Smith, Color gamut transform pairs, 1978).
    pub saturation: f32,
    /// Share of 32 x 32 cells, 0 to 1, within 8 levels of the picture's most frequent colour.
    pub flat_share: f32,
}

/// Distance in levels, for each channel, within which a cell has the most frequent colour: below
/// what is seen as another colour, above the noise of compression.
const FLAT_LEVELS: f32 = 8.0;

/// Standard deviation of luma, in levels, below which a picture has no contrast to speak of.
const NO_CONTRAST: f32 = 0.5;

impl Look {
    /// The numbers of a picture. `deviation` was taken from its pixels.
    pub(super) fn of(planes: &Planes, deviation: [f32; 3]) -> Self {
        let luma = &planes.luma;
        let brightness = mean(luma, |value| value);
        let variance = mean(luma, |value| (value - brightness) * (value - brightness));
        let spread = variance.sqrt();
        let is_plain = spread < NO_CONTRAST;
        Look {
            mean: [0, 1, 2].map(|channel| mean(&planes.small[channel], |value| value)),
            deviation,
            brightness: (brightness / 255.0).clamp(0.0, 1.0),
            contrast: spread / 255.0,
            sharpness: if is_plain { 0.0 } else { roughness(luma) / (2.0 * variance) },
            saturation: saturation(&planes.small),
            flat_share: flat_share(&planes.small),
        }
    }
}

/// Mean square difference of neighbouring cells, across and down.
fn roughness(luma: &[f32]) -> f32 {
    let differences = |near: &[f32], far: &[f32]| {
        let mut sums = [0.0f32; 8];
        for (near, far) in near.chunks(8).zip(far.chunks(8)) {
            for (sum, (near, far)) in sums.iter_mut().zip(near.iter().zip(far)) {
                *sum += (near - far) * (near - far);
            }
        }
        sums.iter().sum::<f32>()
    };
    let rows = luma.chunks_exact(SIDE);
    let across: f32 = rows.map(|row| differences(&row[..SIDE - 1], &row[1..])).sum();
    let down = differences(&luma[..luma.len() - SIDE], &luma[SIDE..]);
    (across + down) / (2 * SIDE * (SIDE - 1)) as f32
}

fn cells(planes: &[Vec<f32>; 3]) -> impl Iterator<Item = [f32; 3]> {
    let [red, green, blue] = planes;
    red.iter().zip(green).zip(blue).map(|((&red, &green), &blue)| [red, green, blue])
}

fn saturation(small: &[Vec<f32>; 3]) -> f32 {
    let of = |[red, green, blue]: [f32; 3]| {
        let (most, least) = (red.max(green).max(blue), red.min(green).min(blue));
        if most > 0.0 { (most - least) / most } else { 0.0 }
    };
    cells(small).map(of).sum::<f32>() / small[0].len() as f32
}

/// The share of cells with the most frequent colour: the mean of the fullest of 16 x 16 x 16 boxes.
fn flat_share(small: &[Vec<f32>; 3]) -> f32 {
    let boxed = |[red, green, blue]: [f32; 3]| {
        let sixteenth = |value: f32| usize::from(value as u8 >> 4);
        sixteenth(red) << 8 | sixteenth(green) << 4 | sixteenth(blue)
    };
    let boxes: Vec<usize> = cells(small).map(boxed).collect();
    let mut counts = vec![0u16; 1 << 12];
    boxes.iter().for_each(|&at| counts[at] += 1);
    // Of equals the last in the list of cells: any rule serves, but it must be one.
    let fullest = boxes.iter().copied().max_by_key(|&at| counts[at]).unwrap_or(0);
    let mut sum = [0.0f32; 3];
    for (colour, _) in cells(small).zip(&boxes).filter(|&(_, &at)| at == fullest) {
        for (sum, value) in sum.iter_mut().zip(colour) {
            *sum += value;
        }
    }
    let mean = sum.map(|sum| sum / f32::from(counts[fullest].max(1)));
    let is_near = |colour: &[f32; 3]| {
        colour.iter().zip(mean).all(|(value, mean)| (value - mean).abs() <= FLAT_LEVELS)
    };
    cells(small).filter(is_near).count() as f32 / small[0].len() as f32
}
