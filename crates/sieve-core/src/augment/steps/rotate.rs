//! Rotates about the frame's middle: degrees, counter-clockwise.

use super::{Definition, Effect, Takes, Unit, uniform};
use crate::affine::Affine;

pub(super) static ROTATE: Definition = Definition {
    name: "rotate",
    takes: Takes::Range { unit: Unit::Degrees, least: -360.0, most: 360.0 },
    numbers: &["degrees"],
    neutral: 0.0,
    draw: uniform,
    caption: |drawn| format!("turn {:+.1}°", drawn.numbers[0]),
    effect: Effect::Geometry(|drawn, frame| Affine::rotate(drawn.numbers[0], frame.middle())),
};
