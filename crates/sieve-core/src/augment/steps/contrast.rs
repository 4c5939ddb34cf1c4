//! Stretches values around mid grey: a factor, as `contrast()` does in CSS (Filter Effects Level 1).

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;

pub(super) static CONTRAST: Definition = Definition {
    name: "contrast",
    does: "scales every value around mid grey, as contrast() in CSS",
    range: Some(Range { unit: Unit::Factor, least: 0.0, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "factor", strength: Strength::Linear(1.0) }],
    draw: once,
    caption: |drawn| format!("contrast {:.2}", drawn.numbers[0]),
    effect: Effect::Colour(|drawn| {
        let factor = drawn.numbers[0] as f32;
        Colour::Line { slope: factor, offset: 127.5 * (1.0 - factor) }
    }),
};
