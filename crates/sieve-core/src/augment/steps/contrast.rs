//! Stretches values around mid grey: a factor, as `contrast()` does in CSS (Filter Effects Level 1).

use super::{Definition, Effect, Takes, Unit, uniform};
use crate::augment::tone::Tone;

pub(super) static CONTRAST: Definition = Definition {
    name: "contrast",
    takes: Takes::Range { unit: Unit::Factor, least: 0.0, most: 10.0 },
    numbers: &["factor"],
    neutral: 1.0,
    draw: uniform,
    caption: |drawn| format!("contrast {:.2}", drawn.numbers[0]),
    effect: Effect::Tone(|drawn| {
        let factor = drawn.numbers[0];
        Tone { slope: factor, offset: 127.5 * (1.0 - factor) }
    }),
};
