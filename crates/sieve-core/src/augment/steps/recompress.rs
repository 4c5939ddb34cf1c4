//! What saving as a JPEG does: detail is rounded away in blocks of 8 x 8, colours at half the size.

use std::f32::consts::PI;

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::canvas::Canvas;
use crate::measuring::{CHROMA, LUMA};

pub(super) static RECOMPRESS: Definition = Definition {
    name: "recompress",
    does: "simulates saving as a JPEG of this quality with 4:2:0 chroma; 100 changes nothing",
    range: Some(Range { unit: Unit::Quality, least: 1.0, most: 100.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "quality", strength: Strength::Linear(100.0) }],
    draw: once,
    caption: |drawn| format!("JPEG {:.0}", drawn.numbers[0].round()),
    effect: Effect::Filter(|drawn, canvas| recompress(canvas, drawn.numbers[0])),
};

/// Rows and columns of a block.
const BLOCK: usize = 8;
type Block = [[f32; BLOCK]; BLOCK];

/// Divisors of luma at quality 50, by frequency: ITU-T T.81, table K.1.
const LUMA_DIVISORS: [[u16; BLOCK]; BLOCK] = [
    [16, 11, 10, 16, 24, 40, 51, 61],
    [12, 12, 14, 19, 26, 58, 60, 55],
    [14, 13, 16, 24, 40, 57, 69, 56],
    [14, 17, 22, 29, 51, 87, 80, 62],
    [18, 22, 37, 56, 68, 109, 103, 77],
    [24, 35, 55, 64, 81, 104, 113, 92],
    [49, 64, 78, 87, 103, 121, 120, 101],
    [72, 92, 95, 98, 112, 100, 103, 99],
];
/// Divisors of chroma: table K.2; all others are 99.
const CHROMA_DIVISORS: [[u16; 4]; 4] =
    [[17, 18, 24, 47], [18, 21, 26, 66], [24, 26, 56, 99], [47, 66, 99, 99]];

/// The divisors at a quality of 1 to 100, scaled as the Independent JPEG Group's library does.
fn divisors(quality: f64, base: impl Fn(usize, usize) -> u16) -> Block {
    let quality = quality.round().clamp(1.0, 100.0);
    let scale = if quality < 50.0 { (5000.0 / quality).floor() } else { 200.0 - 2.0 * quality };
    std::array::from_fn(|v| {
        std::array::from_fn(|u| {
            ((f64::from(base(v, u)) * scale + 50.0) / 100.0).floor().clamp(1.0, 255.0) as f32
        })
    })
}

fn recompress(canvas: &mut Canvas, quality: f64) {
    if quality.round() >= 100.0 {
        return;
    }
    let luma_divisors = divisors(quality, |v, u| LUMA_DIVISORS[v][u]);
    let chroma = |v: usize, u: usize| CHROMA_DIVISORS.get(v).and_then(|row| row.get(u)).copied();
    let chroma_divisors = divisors(quality, |v, u| chroma(v, u).unwrap_or(99));
    let (width, height) = (canvas.width_px, canvas.height_px);
    let plane = |weights: [f32; 3], offset: f32| {
        let pixels = canvas.data.as_chunks::<3>().0.iter();
        let value = |p: &[f32; 3]| (0..3).map(|c| weights[c] * p[c]).sum::<f32>() + offset;
        Plane { width, height, values: pixels.map(value).collect() }
    };
    let luma = plane(LUMA, 0.0).through_blocks(&luma_divisors);
    let [blue, red] = CHROMA
        .map(|weights| plane(weights, 128.0).halved().through_blocks(&chroma_divisors));
    for y in 0..height {
        for x in 0..width {
            let (luma, blue, red) = (
                luma.values[y * width + x],
                blue.between(x, y) - 128.0,
                red.between(x, y) - 128.0,
            );
            // JFIF 1.02, back.
            let pixel = [luma + 1.402 * red, luma - 0.344_14 * blue - 0.714_14 * red, luma + 1.772 * blue];
            let at = (y * width + x) * 3;
            canvas.data[at..at + 3].copy_from_slice(&pixel.map(|value| value.clamp(0.0, 255.0)));
        }
    }
}

struct Plane {
    width: usize,
    height: usize,
    values: Vec<f32>,
}

impl Plane {
    /// The value at a place; beyond the edge the nearest one there is.
    fn at(&self, column: usize, row: usize) -> f32 {
        self.values[row.min(self.height - 1) * self.width + column.min(self.width - 1)]
    }

    /// Means of 2 x 2.
    fn halved(&self) -> Plane {
        let (width, height) = (self.width.div_ceil(2), self.height.div_ceil(2));
        let mean = |at: usize| {
            let (x, y) = (at % width * 2, at / width * 2);
            [(0, 0), (1, 0), (0, 1), (1, 1)].map(|(i, j)| self.at(x + i, y + j)).iter().sum::<f32>() / 4.0
        };
        Plane { width, height, values: (0..width * height).map(mean).collect() }
    }

    /// The value of a plane of half the size at a pixel of the whole: between the centres of the nearest four.
    fn between(&self, x: usize, y: usize) -> f32 {
        // A pixel lies a quarter of a half-size pixel before or after a centre.
        let near = |at: usize, side: usize| {
            let other = if at.is_multiple_of(2) { (at / 2).saturating_sub(1) } else { (at / 2 + 1).min(side - 1) };
            (at / 2, other)
        };
        let ((x0, x1), (y0, y1)) = (near(x, self.width), near(y, self.height));
        let row = |y: usize| 0.75 * self.at(x0, y) + 0.25 * self.at(x1, y);
        0.75 * row(y0) + 0.25 * row(y1)
    }

    /// Each block of 8 x 8 as frequencies, rounded to multiples of the divisors, and back, in whole levels.
    fn through_blocks(&self, divisors: &Block) -> Plane {
        let cosines: Block = std::array::from_fn(|frequency| {
            let scale = if frequency == 0 { (0.125f32).sqrt() } else { 0.5 };
            std::array::from_fn(|at| {
                scale * ((2 * at + 1) as f32 * frequency as f32 * PI / 16.0).cos()
            })
        });
        let mut values = vec![0.0; self.values.len()];
        for top in (0..self.height).step_by(BLOCK) {
            for left in (0..self.width).step_by(BLOCK) {
                let block: Block = std::array::from_fn(|j| {
                    std::array::from_fn(|i| self.at(left + i, top + j).round() - 128.0)
                });
                let mut frequencies = both_ways(&block, |frequency, at| cosines[frequency][at]);
                for (row, divisors) in frequencies.iter_mut().zip(divisors) {
                    for (value, divisor) in row.iter_mut().zip(divisors) {
                        *value = (*value / divisor).round() * divisor;
                    }
                }
                let block = both_ways(&frequencies, |at, frequency| cosines[frequency][at]);
                for (j, row) in block.iter().enumerate().take(self.height - top) {
                    let at = (top + j) * self.width + left;
                    let count = BLOCK.min(self.width - left);
                    for (value, level) in values[at..at + count].iter_mut().zip(row) {
                        *value = (level + 128.0).round().clamp(0.0, 255.0);
                    }
                }
            }
        }
        Plane { values, ..*self }
    }
}

/// A block's rows and columns through the same sums: out\[v\]\[u\] = sum over j, i of factor(v, j) factor(u, i) in\[j\]\[i\].
fn both_ways(block: &Block, factor: impl Fn(usize, usize) -> f32) -> Block {
    let factors: Block = std::array::from_fn(|out| std::array::from_fn(|at| factor(out, at)));
    let mut rows = [[0.0f32; BLOCK]; BLOCK];
    for (row, values) in rows.iter_mut().zip(block) {
        for (out, factors) in row.iter_mut().zip(&factors) {
            *out = (0..BLOCK).map(|at| factors[at] * values[at]).sum();
        }
    }
    let mut all = [[0.0f32; BLOCK]; BLOCK];
    for (out, factors) in all.iter_mut().zip(&factors) {
        for (factor, row) in factors.iter().zip(&rows) {
            (0..BLOCK).for_each(|at| out[at] += factor * row[at]);
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::reading::{self, ReadLimits};

    #[test]
    fn the_frame_is_what_an_encoder_makes_of_it() {
        let (width, height) = (53usize, 37usize);
        let wave = |at: usize, speed: f32| (at as f32 * speed).sin() * 50.0;
        let data: Vec<f32> = (0..width * height)
            .flat_map(|at| {
                let (x, y) = (at % width, at / width);
                [120.0 + wave(x, 0.31) + wave(y, 0.17), 90.0 + wave(x + y, 0.2), 60.0 + wave(y, 0.12)]
            })
            .collect();
        let canvas = Canvas { width_px: width, height_px: height, data };
        for quality in [15u8, 60, 95] {
            let mut encoder = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
            encoder.set_fastest_defaults();
            encoder.set_size(width, height);
            encoder.set_quality(f32::from(quality));
            encoder.set_chroma_sampling_pixel_sizes((2, 2), (2, 2));
            let mut started = encoder.start_compress(Vec::new()).unwrap();
            started.write_scanlines(&canvas.to_pixels().data).unwrap();
            let decoded = reading::decode(&started.finish().unwrap(), &ReadLimits::default()).unwrap();
            let mut ours = canvas.clone();
            recompress(&mut ours, f64::from(quality));
            let apart = ours.to_pixels().data.iter().zip(&decoded.pixels.data).map(|(a, b)| a.abs_diff(*b)).collect::<Vec<_>>();
            let mean = apart.iter().map(|&a| f64::from(a)).sum::<f64>() / apart.len() as f64;
            assert!(mean < 1.25, "quality {quality}: {mean} levels");
            // At a quality that is seen, what is taken away is far more than what we are off by.
            let change = ours.data.iter().zip(&canvas.data).map(|(a, b)| f64::from((a - b).abs()));
            let change = change.sum::<f64>() / apart.len() as f64;
            assert!(quality > 60 || change > 2.0 * mean, "quality {quality}: {change} {mean}");
        }
    }
}
