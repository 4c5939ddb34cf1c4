//! Bends values between black and white: an exponent, above 1 darker.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;

pub(super) static GAMMA: Definition = Definition {
    name: "gamma",
    does: "gamma: the exponent of value / 255; above 1 darkens",
    range: Some(Range { unit: Unit::Factor, least: 0.1, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "exponent", strength: Strength::Ratio }],
    draw: once,
    caption: |drawn| format!("gamma {:.2}", drawn.numbers[0]),
    effect: Effect::Colour(|drawn| {
        let exponent = drawn.numbers[0];
        Colour::curve(|value| 255.0 * (value / 255.0).powf(exponent))
    }),
};
