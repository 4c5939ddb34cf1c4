//! Blurs: the standard deviation of a bell curve, in pixels of the frame.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::canvas::Canvas;

/// Standard deviations that a bell curve reaches to either side: beyond four lies a sixteen-thousandth of it.
const REACH: f64 = 4.0;

/// A bell curve across, then down; what lies outside of the frame is its mirror image.
pub(super) fn blur(canvas: &mut Canvas, sigma: f64) {
    // Below a tenth a neighbour counts less than a level even beside white.
    if sigma < 0.1 {
        return;
    }
    let radius = (REACH * sigma).ceil() as usize;
    let weight = |at: usize| (-((at as f64 / sigma).powi(2)) / 2.0).exp();
    let all: f64 = weight(0) + 2.0 * (1..=radius).map(weight).sum::<f64>();
    let weights: Vec<f32> = (0..=radius).map(|at| (weight(at) / all) as f32).collect();
    let (width, height) = (canvas.width_px, canvas.height_px);

    let mut line = vec![[0.0f32; 3]; width + 2 * radius];
    for row in canvas.data.chunks_exact_mut(width * 3) {
        let pixels = row.as_chunks_mut::<3>().0;
        for (at, value) in line.iter_mut().enumerate() {
            *value = pixels[mirrored(at as i64 - radius as i64, width)];
        }
        for (at, pixel) in pixels.iter_mut().enumerate() {
            let middle = at + radius;
            let mut sums = line[middle].map(|value| value * weights[0]);
            for (apart, weight) in weights.iter().enumerate().skip(1) {
                let (before, after) = (line[middle - apart], line[middle + apart]);
                (0..3).for_each(|c| sums[c] += (before[c] + after[c]) * weight);
            }
            *pixel = sums;
        }
    }
    // Rows are added up whole, so that neighbours in memory are worked on together.
    let source = std::mem::take(&mut canvas.data);
    let row_of = |at: i64| {
        let row = mirrored(at, height) * width * 3;
        &source[row..row + width * 3]
    };
    canvas.data = Vec::with_capacity(source.len());
    for y in 0..height as i64 {
        let mut sums: Vec<f32> = row_of(y).iter().map(|value| value * weights[0]).collect();
        for (apart, weight) in weights.iter().enumerate().skip(1) {
            let (above, below) = (row_of(y - apart as i64), row_of(y + apart as i64));
            for ((sum, above), below) in sums.iter_mut().zip(above).zip(below) {
                *sum += (above + below) * weight;
            }
        }
        canvas.data.extend(sums);
    }
}

/// The index on a side of `side` pixels that `at` is the mirror image of.
pub(super) fn mirrored(at: i64, side: usize) -> usize {
    let side = side as i64;
    let there_and_back = at.rem_euclid(2 * side);
    there_and_back.min(2 * side - 1 - there_and_back) as usize
}

pub(super) static BLUR: Definition = Definition {
    name: "blur",
    does: "Gaussian blur; standard deviation in frame pixels",
    range: Some(Range { unit: Unit::Pixels, least: 0.0, most: 50.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "sigma", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("blur {:.1}", drawn.numbers[0]),
    effect: Effect::Filter(|drawn, canvas| blur(canvas, drawn.numbers[0])),
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_blur_is_the_weighted_mean_of_all_around() {
        let (width, height, sigma) = (9usize, 7usize, 1.3);
        let data = (0..width * height * 3).map(|at| (at * 37 % 251) as f32).collect();
        let canvas = Canvas { width_px: width, height_px: height, data };
        let mut blurred = canvas.clone();
        blur(&mut blurred, sigma);
        for (x, y) in [(0, 0), (4, 3), (8, 6), (1, 5)] {
            let (mut sum, mut all) = (0.0, 0.0);
            for dy in -12i64..=12 {
                for dx in -12i64..=12 {
                    let weight = (-((dx * dx + dy * dy) as f64) / (2.0 * sigma * sigma)).exp();
                    let from = (mirrored(x + dx, width), mirrored(y + dy, height));
                    sum += weight * f64::from(canvas.at(from.0, from.1)[1]);
                    all += weight;
                }
            }
            let apart = f64::from(blurred.at(x as usize, y as usize)[1]) - sum / all;
            assert!(apart.abs() < 0.05, "{x} {y}: {apart}");
        }
    }
}
