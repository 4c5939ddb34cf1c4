//! The common ways to resize an image.

use std::ops::Range;

use crate::reading::Pixels;

/// The weight of a sample by its distance from where it is needed, in samples.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Shape {
    /// The share of each sample that lies under the new pixel.
    Area,
    Box,
    Triangle,
    /// Keys, Cubic convolution interpolation for digital image processing, 1981, with his parameter.
    Cubic(f32),
    /// A sinc windowed by the middle lobe of another one, three lobes a side (Duchon, Lanczos filtering in one and two
    /// dimensions, 1979).
    Lanczos,
}

/// A kernel, and whether it is widened where the image becomes smaller, so that all of its samples count.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Kernel {
    shape: Shape,
    is_widened: bool,
}

/// All kernels that are tried. Parameters of cubic kernels are those in use: -0.5 by Keys himself, -0.75 where samples are
/// only interpolated.
pub const KERNELS: [Kernel; 9] = [
    Kernel { shape: Shape::Lanczos, is_widened: true },
    Kernel { shape: Shape::Cubic(-0.5), is_widened: true },
    Kernel { shape: Shape::Triangle, is_widened: true },
    Kernel { shape: Shape::Box, is_widened: true },
    Kernel { shape: Shape::Area, is_widened: true },
    Kernel { shape: Shape::Triangle, is_widened: false },
    Kernel { shape: Shape::Cubic(-0.75), is_widened: false },
    Kernel { shape: Shape::Cubic(-0.5), is_widened: false },
    Kernel { shape: Shape::Box, is_widened: false },
];

impl Shape {
    fn radius(self) -> f64 {
        match self {
            Shape::Area | Shape::Box => 0.5,
            Shape::Triangle => 1.0,
            Shape::Cubic(_) => 2.0,
            Shape::Lanczos => 3.0,
        }
    }

    fn weight(self, distance: f32) -> f32 {
        let x = distance.abs();
        match self {
            Shape::Area => 0.0,
            Shape::Box => f32::from(distance > -0.5 && distance <= 0.5),
            Shape::Triangle => (1.0 - x).max(0.0),
            Shape::Cubic(a) if x < 1.0 => ((a + 2.0) * x - (a + 3.0)) * x * x + 1.0,
            Shape::Cubic(a) if x < 2.0 => (((x - 5.0) * x + 8.0) * x - 4.0) * a,
            Shape::Cubic(_) => 0.0,
            Shape::Lanczos if x < 3.0 => sinc(x) * sinc(x / 3.0),
            Shape::Lanczos => 0.0,
        }
    }
}

fn sinc(x: f32) -> f32 {
    if x == 0.0 {
        return 1.0;
    }
    let x = x * std::f32::consts::PI;
    x.sin() / x
}

/// What one new pixel takes of the samples along a line.
struct Taps {
    first: usize,
    weights: Vec<f32>,
}

impl Kernel {
    /// The taps of each of `to` new pixels in place of `from` samples. They add up to one.
    fn taps(&self, from: usize, to: usize) -> Vec<Taps> {
        let step = from as f64 / to as f64;
        let wide = if self.is_widened { step.max(1.0) } else { 1.0 };
        let radius = self.shape.radius() * wide;
        let taps = |at: usize| {
            let middle = (at as f64 + 0.5) * step;
            if self.shape == Shape::Area {
                return area(at as f64 * step, (at + 1) as f64 * step, from);
            }
            let (low, high) = ((middle - radius + 0.5).floor(), (middle + radius + 0.5).floor());
            let last = from as f64 - 1.0;
            let (first, end) = (low.max(0.0), high.min(from as f64).max(low.max(0.0) + 1.0));
            let mut weights = vec![0.0; (end - first) as usize];
            let mut place = low;
            while place < high {
                let weight = self.shape.weight(((place - middle + 0.5) / wide) as f32);
                // A kernel that is not widened repeats the outermost samples; one that is leaves out what is beyond.
                let held = if self.is_widened { place } else { place.clamp(0.0, last) };
                if held >= first && held < end {
                    weights[(held - first) as usize] += weight;
                }
                place += 1.0;
            }
            normalised(first as usize, weights)
        };
        (0..to).map(taps).collect()
    }
}

/// The shares of the samples from `low` to `high`.
fn area(low: f64, high: f64, from: usize) -> Taps {
    let first = (low as usize).min(from - 1);
    let end = (high.ceil() as usize).clamp(first + 1, from);
    let share = |at: usize| (high.min(at as f64 + 1.0) - low.max(at as f64)).max(0.0) as f32;
    normalised(first, (first..end).map(share).collect())
}

fn normalised(first: usize, mut weights: Vec<f32>) -> Taps {
    let sum: f32 = weights.iter().sum();
    if sum.abs() > f32::EPSILON {
        weights.iter_mut().for_each(|weight| *weight /= sum);
    } else {
        weights[0] = 1.0;
    }
    Taps { first, weights }
}

/// `rows` of `image` at another size, in columns and rows: along the rows first, then along the columns, and rounded to
/// whole levels each time, as most programs do.
pub fn resized(image: &Pixels, size: [u32; 2], kernel: &Kernel, rows: Range<u32>) -> Pixels {
    let (columns, lines) = (image.width_px as usize, image.height_px as usize);
    let across = kernel.taps(columns, size[0] as usize);
    let down = kernel.taps(lines, size[1] as usize);
    let down = &down[rows.start as usize..rows.end as usize];
    let first = down.iter().map(|taps| taps.first).min().unwrap_or(0);
    let end = down.iter().map(|taps| taps.first + taps.weights.len()).max().unwrap_or(0);
    let width = size[0] as usize * 3;
    let mut between: Vec<u8> = Vec::with_capacity((end.saturating_sub(first)) * width);
    for line in first..end {
        let row = &image.data[line * columns * 3..(line + 1) * columns * 3];
        for taps in &across {
            let mut sums = [0.0f32; 3];
            for (pixel, weight) in row[taps.first * 3..].chunks_exact(3).zip(&taps.weights) {
                for channel in 0..3 {
                    sums[channel] += f32::from(pixel[channel]) * weight;
                }
            }
            between.extend(sums.map(level));
        }
    }
    let mut data = Vec::with_capacity(down.len() * width);
    let mut sums = vec![0.0f32; width];
    for taps in down {
        sums.fill(0.0);
        let lines = between[(taps.first - first) * width..].chunks_exact(width);
        for (line, weight) in lines.zip(&taps.weights) {
            for (sum, &value) in sums.iter_mut().zip(line) {
                *sum += f32::from(value) * weight;
            }
        }
        data.extend(sums.iter().map(|&sum| level(sum)));
    }
    Pixels { width_px: size[0], height_px: rows.end - rows.start, data }
}

fn level(value: f32) -> u8 {
    (value + 0.5).clamp(0.0, 255.0) as u8
}
