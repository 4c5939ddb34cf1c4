//! Measures: numbers about how an image looks.

use super::grid::{SIDE, mean};
use super::thumbnail::Planes;

/// How an image looks, in numbers. All are of the image as it is seen: upright, transparency on
/// white. Means are those of the image; a JPEG is measured at a reduced size, which takes the
/// finest grain out of the deviations (docs/reading.md says how much).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ImageMeasures {
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
    /// How abruptly luma changes from cell to cell, whatever the amount of detail: the sum of squared
    /// second differences over four times that of the first differences, across and down. It is the
    /// mean of the squared response of a difference over the power of all edges, 0 to 1: white noise
    /// has 0.75, edges of one cell 0.5; blur takes the fine part of every edge. 0 for an image
    /// without contrast.
    pub sharpness: f32,
    /// Mean saturation of 32 x 32 cells, (most - least) / most of red, green and blue, 0 grey to 1
    /// (the S of HSV: Smith, Color gamut transform pairs, 1978).
    pub saturation: f32,
    /// Share of 32 x 32 cells, 0 to 1, within 8 levels of the image's most frequent colour.
    pub flat_share: f32,
}

/// Distance in levels, for each channel, within which a cell has the most frequent colour: below
/// what is seen as another colour, above the noise of compression.
const FLAT_LEVELS: f32 = 8.0;

/// Standard deviation of luma, in levels, below which an image has no contrast to speak of.
const NO_CONTRAST: f32 = 0.5;

impl ImageMeasures {
    /// The numbers of an image. `deviation` was taken from its pixels.
    pub(super) fn new(planes: &Planes, deviation: [f32; 3]) -> Self {
        let luma = &planes.luma;
        let brightness = mean(luma, |value| value);
        let variance = mean(luma, |value| (value - brightness) * (value - brightness));
        let spread = variance.sqrt();
        let is_plain = spread < NO_CONTRAST;
        ImageMeasures {
            mean: [0, 1, 2].map(|channel| mean(&planes.small[channel], |value| value)),
            deviation,
            brightness: (brightness / 255.0).clamp(0.0, 1.0),
            contrast: spread / 255.0,
            sharpness: if is_plain { 0.0 } else { edge_sharpness(luma) },
            saturation: saturation(&planes.small),
            flat_share: flat_share(&planes.small),
        }
    }
}

/// Sum of squared second differences over four times that of first differences, across and down.
fn edge_sharpness(luma: &[f32]) -> f32 {
    let (mut first, mut second) = (0.0, 0.0);
    for row in luma.chunks_exact(SIDE) {
        first += squares(row[1..].iter().zip(row).map(|(b, a)| b - a));
        second += squares(row.windows(3).map(|cells| cells[2] - 2.0 * cells[1] + cells[0]));
    }
    let (under, below) = (&luma[SIDE..], &luma[2 * SIDE..]);
    first += squares(under.iter().zip(luma).map(|(b, a)| b - a));
    second += squares(below.iter().zip(under).zip(luma).map(|((c, b), a)| c - 2.0 * b + a));
    second / (4.0 * first).max(f32::MIN_POSITIVE)
}

fn squares(numbers: impl Iterator<Item = f32>) -> f32 {
    numbers.map(|number| number * number).sum()
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
