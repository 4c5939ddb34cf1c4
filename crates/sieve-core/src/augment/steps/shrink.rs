//! Makes the frame smaller and large again: how many times.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::canvas::Canvas;

/// Averages what lies under each pixel of the smaller frame, then samples it between the centres of its pixels.
fn shrink(canvas: &mut Canvas, times: f64) {
    let [width, height] =
        [canvas.width_px, canvas.height_px].map(|side| ((side as f64 / times).round() as usize).max(1));
    if (width, height) == (canvas.width_px, canvas.height_px) {
        return;
    }
    let across: Vec<_> = (0..width).map(|at| under(at, width, canvas.width_px)).collect();
    let down: Vec<_> = (0..height).map(|at| under(at, height, canvas.height_px)).collect();
    let mut small = Canvas { width_px: width, height_px: height, data: Vec::new() };
    for rows in &down {
        for columns in &across {
            let mut sums = [0.0f32; 3];
            for &(y, in_row) in rows {
                for &(x, in_column) in columns {
                    let pixel = canvas.at(x, y);
                    (0..3).for_each(|c| sums[c] += pixel[c] * in_row * in_column);
                }
            }
            small.data.extend(sums);
        }
    }
    let between = |at: usize, side: usize, small: usize| {
        let place = ((at as f64 + 0.5) * small as f64 / side as f64 - 0.5).clamp(0.0, (small - 1) as f64);
        let before = (place as usize).min(small.saturating_sub(2));
        (before, (before + 1).min(small - 1), (place - before as f64) as f32)
    };
    let (columns, rows) = (canvas.width_px, canvas.height_px);
    for y in 0..rows {
        let (above, below, fy) = between(y, rows, height);
        for x in 0..columns {
            let (left, right, fx) = between(x, columns, width);
            let [a, b] = [above, below].map(|row| [left, right].map(|column| small.at(column, row)));
            for c in 0..3 {
                let [upper, lower] = [a, b].map(|pair| pair[0][c] + (pair[1][c] - pair[0][c]) * fx);
                canvas.data[(y * columns + x) * 3 + c] = upper + (lower - upper) * fy;
            }
        }
    }
}

/// The pixels of a side of `side` that lie under pixel `at` of `small`, each with its share of it.
fn under(at: usize, small: usize, side: usize) -> Vec<(usize, f32)> {
    let each = side as f64 / small as f64;
    let (from, to) = (at as f64 * each, (at + 1) as f64 * each);
    let shares = (from as usize..(to.ceil() as usize).min(side)).map(|pixel| {
        let inside = to.min((pixel + 1) as f64) - from.max(pixel as f64);
        (pixel, (inside / each) as f32)
    });
    shares.collect()
}

pub(super) static SHRINK: Definition = Definition {
    name: "shrink",
    does: "reduces the frame by this factor with averaging, then enlarges it again by interpolation",
    range: Some(Range { unit: Unit::Factor, least: 1.0, most: 32.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "times", strength: Strength::Linear(1.0) }],
    draw: once,
    caption: |drawn| format!("shrink {:.1}", drawn.numbers[0]),
    effect: Effect::Filter(|drawn, canvas| shrink(canvas, drawn.numbers[0])),
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn detail_goes_and_the_mean_stays() {
        let data = (0..12 * 8 * 3).map(|at| if at / 3 % 2 == 0 { 0.0 } else { 200.0 }).collect();
        let mut canvas = Canvas { width_px: 12, height_px: 8, data };
        shrink(&mut canvas, 4.0);
        assert!(canvas.data.iter().all(|value| (value - 100.0).abs() < 1e-3), "{:?}", canvas.data);
        let mut one = Canvas { width_px: 1, height_px: 3, data: (0..9).map(|v| v as f32).collect() };
        shrink(&mut one, 32.0);
        assert_eq!(one.at(0, 2), [3.0, 4.0, 5.0]);
        let shares = under(1, 3, 5);
        assert_eq!(shares.iter().map(|(pixel, _)| *pixel).collect::<Vec<_>>(), [1, 2, 3]);
        assert!((shares.iter().map(|(_, share)| share).sum::<f32>() - 1.0).abs() < 1e-6);
    }
}
