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

/// Cells that are worked on side by side.
const LANES: usize = 8;

fn saturation(small: &[Vec<f32>; 3]) -> f32 {
    let [red, green, blue] = small;
    let mut sums = [0.0f32; LANES];
    let chunks =
        red.chunks_exact(LANES).zip(green.chunks_exact(LANES)).zip(blue.chunks_exact(LANES));
    for ((red, green), blue) in chunks {
        for lane in 0..LANES {
            let (r, g, b) = (red[lane], green[lane], blue[lane]);
            let (most, least) = (r.max(g).max(b), r.min(g).min(b));
            // Black has no saturation: 0 over next to nothing.
            sums[lane] += (most - least) / most.max(f32::MIN_POSITIVE);
        }
    }
    sums.iter().sum::<f32>() / red.len() as f32
}

/// The share of cells with the most frequent colour: the mean of the fullest of 16 x 16 x 16 boxes.
fn flat_share(small: &[Vec<f32>; 3]) -> f32 {
    let [red, green, blue] = small;
    let sixteenth = |value: f32| (value as i32 as u16) >> 4;
    let colours = red.iter().zip(green).zip(blue);
    let boxes: Vec<u16> = colours
        .map(|((&red, &green), &blue)| {
            sixteenth(red) << 8 | sixteenth(green) << 4 | sixteenth(blue)
        })
        .collect();
    let mut counts = [0u16; 1 << 12];
    boxes.iter().for_each(|&at| counts[usize::from(at)] += 1);
    // Of equals the last in the list of cells: any rule serves, but it must be one.
    let fullest = boxes.iter().copied().max_by_key(|&at| counts[usize::from(at)]).unwrap_or(0);
    let number = f32::from(counts[usize::from(fullest)].max(1));
    let mean = |plane: &[f32]| {
        let inside = plane.iter().zip(&boxes).filter(|&(_, &at)| at == fullest);
        inside.map(|(value, _)| value).sum::<f32>() / number
    };
    let means = [mean(red), mean(green), mean(blue)];
    let is_near = |value: f32, mean: f32| u32::from((value - mean).abs() <= FLAT_LEVELS);
    let colours = red.iter().zip(green).zip(blue);
    let near: u32 = colours
        .map(|((&red, &green), &blue)| {
            is_near(red, means[0]) & is_near(green, means[1]) & is_near(blue, means[2])
        })
        .sum();
    near as f32 / red.len() as f32
}
