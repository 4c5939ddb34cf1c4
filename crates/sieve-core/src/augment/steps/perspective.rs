//! Seen at a slant: each corner of the frame is moved.

use super::{Definition, Effect, MOST_NUMBERS, Number, Range, Strength, Unit};
use crate::affine::Affine;
use crate::augment::projective::Projective;

/// A fifth: four corners that move by less than a quarter always make a convex shape.
const MOST: f64 = 0.2;

pub(super) static PERSPECTIVE: Definition = Definition {
    name: "perspective",
    does: "moves each corner independently, by up to this share of width and height, inward or outward",
    range: Some(Range { unit: Unit::FrameShare, least: 0.0, most: MOST, usual: None }),
    second: None,
    word: None,
    numbers: &[
        Number { name: "share", strength: Strength::Linear(0.0) },
        Number { name: "top_left_x", strength: Strength::Fixed },
        Number { name: "top_left_y", strength: Strength::Fixed },
        Number { name: "top_right_x", strength: Strength::Fixed },
        Number { name: "top_right_y", strength: Strength::Fixed },
        Number { name: "bottom_right_x", strength: Strength::Fixed },
        Number { name: "bottom_right_y", strength: Strength::Fixed },
        Number { name: "bottom_left_x", strength: Strength::Fixed },
        Number { name: "bottom_left_y", strength: Strength::Fixed },
    ],
    // The share, and for each corner the parts of it, from -1 to 1.
    draw: |setting, random| {
        let share = setting.amount.draw(random());
        let mut numbers = [share; MOST_NUMBERS];
        numbers[1..].fill_with(|| 2.0 * random() - 1.0);
        numbers
    },
    caption: |drawn| format!("perspective {:.0}%", drawn.numbers[0] * 100.0),
    effect: Effect::Geometry(|drawn, frame| {
        let share = drawn.numbers[0];
        let square = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
        let moved = std::array::from_fn(|corner| {
            let (x, y) = square[corner];
            let at = 1 + 2 * corner;
            (x + share * drawn.numbers[at], y + share * drawn.numbers[at + 1])
        });
        let (width, height) = (f64::from(frame.width_px), f64::from(frame.height_px));
        Projective::from(Affine::scale(1.0 / width, 1.0 / height, (0.0, 0.0)))
            .then(Projective::of_unit_square(moved))
            .then(Affine::scale(width, height, (0.0, 0.0)))
    }),
};
