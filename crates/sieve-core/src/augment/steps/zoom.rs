//! Enlarges about the frame's middle: a factor, above 1 nearer.

use super::{Definition, Effect, Takes, Unit, uniform};
use crate::affine::Affine;

pub(super) static ZOOM: Definition = Definition {
    name: "zoom",
    takes: Takes::Range { unit: Unit::Factor, least: 0.1, most: 10.0 },
    numbers: &["factor"],
    neutral: 1.0,
    draw: uniform,
    caption: |drawn| format!("zoom {:.2}", drawn.numbers[0]),
    effect: Effect::Geometry(|drawn, frame| {
        Affine::scale(drawn.numbers[0], drawn.numbers[0], frame.middle())
    }),
};
