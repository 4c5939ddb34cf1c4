//! Moves right and down: shares of the frame's width and height, drawn each by itself.

use super::{Definition, Effect, Takes, Unit, uniform};
use crate::affine::Affine;

pub(super) static SHIFT: Definition = Definition {
    name: "shift",
    takes: Takes::Range { unit: Unit::FrameShare, least: -1.0, most: 1.0 },
    numbers: &["right", "down"],
    neutral: 0.0,
    draw: uniform,
    caption: |drawn| {
        let [right, down] = drawn.numbers;
        format!("shift {:+.0} {:+.0} %", right * 100.0, down * 100.0)
    },
    effect: Effect::Geometry(|drawn, frame| {
        let [right, down] = drawn.numbers;
        Affine::shift(right * f64::from(frame.width_px), down * f64::from(frame.height_px))
    }),
};
