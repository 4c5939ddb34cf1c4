//! Rotates about the frame's middle: degrees, counter-clockwise.

use super::{Definition, Effect, Number, Range, Strength, Unit, once, signed};
use crate::affine::Affine;

pub(super) static ROTATE: Definition = Definition {
    name: "rotate",
    does: "rotates about the centre of the frame; above 0 counter-clockwise",
    range: Some(Range { unit: Unit::Degrees, least: -360.0, most: 360.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "degrees", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("turn {}°", signed(drawn.numbers[0])),
    effect: Effect::Geometry(|drawn, frame| {
        Affine::rotate(drawn.numbers[0], frame.middle()).into()
    }),
};
