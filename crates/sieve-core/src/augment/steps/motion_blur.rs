//! Smears along a line, as a moving camera does.

use super::{Definition, Effect, MOST_NUMBERS, Number, Range, Second, Strength, Unit};
use crate::augment::canvas::Canvas;
use super::blur::mirrored;

/// The mean of samples along the line, half a pixel apart or nearer, each from the four pixels around it.
fn smear(canvas: &mut Canvas, length: f64, degrees: f64) {
    if length < 0.1 {
        return;
    }
    let (sin, cos) = degrees.to_radians().sin_cos();
    let count = (2.0 * length).ceil() as usize + 1;
    let (width, height) = (canvas.width_px, canvas.height_px);
    let source = canvas.clone();
    let places = (0..count).map(|at| {
        let along = (at as f64 / (count - 1) as f64 - 0.5) * length;
        let (dx, dy) = (along * cos, -along * sin);
        let (left, top) = (dx.floor(), dy.floor());
        (left as i64, top as i64, (dx - left) as f32, (dy - top) as f32)
    });
    let places: Vec<(i64, i64, f32, f32)> = places.collect();
    for y in 0..height {
        for x in 0..width {
            let mut sums = [0.0f32; 3];
            for &(left, top, fx, fy) in &places {
                let [x0, x1] = [0, 1].map(|more| mirrored(x as i64 + left + more, width));
                let [y0, y1] = [0, 1].map(|more| mirrored(y as i64 + top + more, height));
                let [a, b] = [y0, y1].map(|row| [x0, x1].map(|column| source.at(column, row)));
                for c in 0..3 {
                    let above = a[0][c] + (a[1][c] - a[0][c]) * fx;
                    let below = b[0][c] + (b[1][c] - b[0][c]) * fx;
                    sums[c] += above + (below - above) * fy;
                }
            }
            let at = (y * width + x) * 3;
            (0..3).for_each(|c| canvas.data[at + c] = sums[c] / count as f32);
        }
    }
}

pub(super) static MOTION_BLUR: Definition = Definition {
    name: "motion-blur",
    does: "motion blur along a line of this length in frame pixels; angle = [from, to] in degrees [default: any]",
    range: Some(Range { unit: Unit::Pixels, least: 0.0, most: 100.0, usual: None }),
    second: Some(Second {
        name: "angle",
        range: Range { unit: Unit::Degrees, least: -360.0, most: 360.0, usual: Some(&[0.0, 180.0]) },
    }),
    word: None,
    numbers: &[
        Number { name: "length", strength: Strength::Linear(0.0) },
        Number { name: "angle", strength: Strength::Fixed },
    ],
    draw: |setting, random| {
        let mut numbers = [0.0; MOST_NUMBERS];
        numbers[0] = setting.amount.draw(random());
        numbers[1] = setting.second(random());
        numbers
    },
    caption: |drawn| format!("smear {:.0} px", drawn.numbers[0]),
    effect: Effect::Filter(|drawn, canvas| smear(canvas, drawn.numbers[0], drawn.numbers[1])),
};

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_dot_becomes_a_line_at_the_angle() {
        let mut canvas = Canvas { width_px: 15, height_px: 15, data: vec![0.0; 15 * 15 * 3] };
        canvas.data[(7 * 15 + 7) * 3] = 255.0;
        for (degrees, on, off) in [(0.0, (9, 7), (7, 9)), (90.0, (7, 9), (9, 7)), (45.0, (8, 6), (8, 8))] {
            let mut smeared = canvas.clone();
            smear(&mut smeared, 6.0, degrees);
            assert!(smeared.at(on.0, on.1)[0] > 10.0 && smeared.at(off.0, off.1)[0] < 5.0, "{degrees}");
            let light: f32 = smeared.data.iter().step_by(3).sum();
            assert!((light - 255.0).abs() < 0.1, "none is lost: {light}");
        }
    }
}
