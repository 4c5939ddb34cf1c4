//! Multiplies every value: a factor, as `brightness()` does in CSS (Filter Effects Level 1).

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;

pub(super) static BRIGHTNESS: Definition = Definition {
    name: "brightness",
    does: "multiplies every value, as brightness() in CSS (Filter Effects Level 1)",
    range: Some(Range { unit: Unit::Factor, least: 0.0, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "factor", strength: Strength::Linear(1.0) }],
    draw: once,
    caption: |drawn| format!("bright {:.2}", drawn.numbers[0]),
    effect: Effect::Colour(|drawn| Colour::Line { slope: drawn.numbers[0] as f32, offset: 0.0 }),
};
