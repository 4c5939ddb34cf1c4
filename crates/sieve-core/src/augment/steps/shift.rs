//! Moves right and down: shares of the frame's width and height, drawn each by itself.

use super::{Definition, Effect, Number, Range, Strength, Unit, signed, twice};
use crate::affine::Affine;

pub(super) static SHIFT: Definition = Definition {
    name: "shift",
    does: "moves the image; above 0 right and down; the two directions are drawn independently",
    range: Some(Range { unit: Unit::FrameShare, least: -1.0, most: 1.0, usual: None }),
    second: None,
    word: None,
    numbers: &[
        Number { name: "right", strength: Strength::Linear(0.0) },
        Number { name: "down", strength: Strength::Linear(0.0) },
    ],
    draw: twice,
    caption: |drawn| {
        format!("shift {} {}%", signed(drawn.numbers[0] * 100.0), signed(drawn.numbers[1] * 100.0))
    },
    effect: Effect::Geometry(|drawn, frame| {
        let [right, down, ..] = drawn.numbers;
        Affine::shift(right * f64::from(frame.width_px), down * f64::from(frame.height_px)).into()
    }),
};
