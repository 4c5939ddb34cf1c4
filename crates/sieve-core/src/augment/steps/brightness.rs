//! Multiplies every value: a factor, as `brightness()` does in CSS (Filter Effects Level 1).

use super::{Definition, Effect, Takes, Unit, uniform};
use crate::augment::tone::Tone;

pub(super) static BRIGHTNESS: Definition = Definition {
    name: "brightness",
    takes: Takes::Range { unit: Unit::Factor, least: 0.0, most: 10.0 },
    numbers: &["factor"],
    neutral: 1.0,
    draw: uniform,
    caption: |drawn| format!("bright {:.2}", drawn.numbers[0]),
    effect: Effect::Tone(|drawn| Tone { slope: drawn.numbers[0], offset: 0.0 }),
};
