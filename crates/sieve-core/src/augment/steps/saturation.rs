//! Moves colours away from grey or towards it: a factor, as `saturate()` does in CSS (Filter Effects Level 1).

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;

/// The weights of red, green and blue in grey, as the standard rounds them.
const GREY: [f32; 3] = [0.213, 0.715, 0.072];

pub(super) static SATURATION: Definition = Definition {
    name: "saturation",
    does: "scales the distance of colours from grey, as saturate() in CSS",
    range: Some(Range { unit: Unit::Factor, least: 0.0, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "factor", strength: Strength::Linear(1.0) }],
    draw: once,
    caption: |drawn| format!("colour {:.2}", drawn.numbers[0]),
    effect: Effect::Colour(|drawn| {
        let factor = drawn.numbers[0] as f32;
        let row = |own: usize| {
            std::array::from_fn(|c| {
                GREY[c] * (1.0 - factor) + if c == own { factor } else { 0.0 }
            })
        };
        Colour::Mix([row(0), row(1), row(2)])
    }),
};
