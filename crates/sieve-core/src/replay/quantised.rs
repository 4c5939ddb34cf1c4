//! Whether a prediction explains the coefficients that a JPEG stores.
//!
//! An encoder rounds each cosine coefficient to a multiple of its step. So the coefficient of what was encoded lies within
//! half a step of what is stored, and so does that of the prediction, but for rounding. Pixels need not be compared, which a
//! decoder clips and smooths.

use crate::reading::{JpegChannel, JpegCoefficients, Pixels};

/// Samples along each side of a block.
const SIDE: usize = 8;
/// Levels by which a coefficient may be beyond half a step. A prediction errs by the rounding of two passes of a resize, of a
/// change of light and of the encoder's own transform, at most half a level each and evenly spread: a standard deviation of
/// sqrt(4 / 12) = 0.58 levels a sample, and as much a coefficient of an orthonormal transform; five of these.
const ROUNDING: f32 = 2.9;
/// Coefficients of luma beside the means that are not zero, at least: unrelated ones do not agree in that many by chance.
const LEAST_TOLD: usize = 64;

/// Whether the file that stores `stored` may have been made of `predicted`, and there is enough in it to tell.
pub fn explains_coefficients(predicted: &Pixels, stored: &JpegCoefficients) -> bool {
    if predicted.width_px as usize != stored.width_px
        || predicted.height_px as usize != stored.height_px
    {
        return false;
    }
    let cosines = cosines();
    let telling: usize = stored.channels[0].coefficients.iter().map(telling).sum();
    telling >= LEAST_TOLD
        && stored.channels.iter().enumerate().all(|(number, channel)| {
            is_within(&Plane { pixels: predicted, number, channel }, &cosines, 0)
        })
}

/// Whether rows of luma of the file that stores `stored` may have been made of `predicted`, which begins at the row `first`,
/// a multiple of eight. It ends with the image or with a block.
pub fn explains_luma(predicted: &Pixels, stored: &JpegCoefficients, first: u32) -> bool {
    let plane = Plane { pixels: predicted, number: 0, channel: &stored.channels[0] };
    let rows = first as usize / SIDE;
    // A grey or uncommonly sampled channel is asked as a whole.
    plane.spans() != [1, 1] || is_within(&plane, &cosines(), rows)
}

/// How many coefficients of a block, beside its mean, are not zero.
fn telling(block: &[i16; 64]) -> usize {
    block[1..].iter().filter(|&&value| value != 0).count()
}

/// Bits after the point of the weights of the colours, and a half.
const BITS: i32 = 16;
const HALF: i32 = 1 << (BITS - 1);

/// One channel of a prediction, at the size at which a file stores it.
struct Plane<'a> {
    pixels: &'a Pixels,
    /// Luma (0), blue chroma (1) or red chroma (2).
    number: usize,
    channel: &'a JpegChannel,
}

impl Plane<'_> {
    /// Pixels along each side that a sample stands for: encoders store whole ones, 1, 2 or 4.
    fn spans(&self) -> [usize; 2] {
        self.channel.sampling.map(|share| (1.0 / share).round().max(1.0) as usize)
    }

    /// The value of a pixel in the colours of JFIF (ITU-T T.871), 0 to 255; beyond the image that of its outermost one. In
    /// whole levels and by whole numbers, as encoders have them: what flat places are rounded by is no chance, and halves
    /// are common, where two channels of a colour are equal.
    fn value(&self, column: usize, row: usize) -> u32 {
        let (weights, offset): ([i32; 3], i32) = match self.number {
            0 => ([19_595, 38_470, 7_471], HALF),
            1 => ([-11_059, -21_709, 32_768], (128 << BITS) + HALF - 1),
            _ => ([32_768, -27_439, -5_329], (128 << BITS) + HALF - 1),
        };
        let (width, height) = (self.pixels.width_px as usize, self.pixels.height_px as usize);
        let at = row.min(height - 1) * width + column.min(width - 1);
        let pixel = &self.pixels.data[at * 3..at * 3 + 3];
        let sum: i32 =
            pixel.iter().zip(weights).map(|(&level, weight)| i32::from(level) * weight).sum();
        (sum + offset) as u32 >> BITS
    }

    /// The samples of the block in a column and row of blocks, around 0; below the image the last row of samples is repeated.
    fn block(&self, column: usize, row: usize) -> [[f32; SIDE]; SIDE] {
        let [across, down] = self.spans();
        let area = (across * down) as u32;
        let last = (self.pixels.height_px as usize).div_ceil(down) - 1;
        std::array::from_fn(|y| {
            let line = (row * SIDE + y).min(last);
            std::array::from_fn(|x| {
                let place = column * SIDE + x;
                let mut sum = 0;
                for row in line * down..(line + 1) * down {
                    for column in place * across..(place + 1) * across {
                        sum += self.value(column, row);
                    }
                }
                // Halves are rounded up and down by turns.
                let half =
                    if area == 1 { 0 } else { (area / 2).saturating_sub(1) + place as u32 % 2 };
                ((sum + half) / area) as f32 - 128.0
            })
        })
    }
}

/// Whether every coefficient of `plane`, which begins at a row of blocks, lies within half a step of what is stored, but for
/// rounding.
fn is_within(plane: &Plane<'_>, cosines: &[[f32; SIDE]; SIDE], first: usize) -> bool {
    let channel = plane.channel;
    let [columns, _] = channel.blocks;
    let [across, down] = plane.spans();
    let is_beyond = |block: usize, span: usize, side: u32| block * SIDE * span >= side as usize;
    channel.coefficients[first * columns..].iter().enumerate().all(|(at, stored)| {
        let (column, row) = (at % columns, at / columns);
        // Blocks that lie wholly beyond the image hold what an encoder likes.
        if is_beyond(column, across, plane.pixels.width_px)
            || is_beyond(row, down, plane.pixels.height_px)
        {
            return true;
        }
        let wanted = transformed(&plane.block(column, row), cosines);
        wanted.iter().flatten().zip(stored).zip(&channel.steps).all(|((wanted, &stored), &step)| {
            let step = f32::from(step);
            (wanted - f32::from(stored) * step).abs() <= step / 2.0 + ROUNDING
        })
    })
}

/// The orthonormal cosine transform of a block; vertical frequencies in rows.
fn transformed(block: &[[f32; SIDE]; SIDE], cosines: &[[f32; SIDE]; SIDE]) -> [[f32; SIDE]; SIDE] {
    let along = |lines: &[[f32; SIDE]; SIDE]| -> [[f32; SIDE]; SIDE] {
        // Of each line, transposed: twice the transform stands as it should.
        std::array::from_fn(|frequency| {
            std::array::from_fn(|line| {
                lines[line]
                    .iter()
                    .zip(&cosines[frequency])
                    .map(|(value, cosine)| value * cosine)
                    .sum()
            })
        })
    };
    along(&along(block))
}

fn cosines() -> [[f32; SIDE]; SIDE] {
    std::array::from_fn(|frequency| {
        std::array::from_fn(|at| {
            let scale = if frequency == 0 { 0.125f64 } else { 0.25 };
            let angle = (2 * at + 1) as f64 * frequency as f64 * std::f64::consts::PI / 16.0;
            (scale.sqrt() * angle.cos()) as f32
        })
    })
}
