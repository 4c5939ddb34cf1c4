//! Mirrors left and right, or top and bottom.

use super::{Axis, Definition, Drawn, Effect, Setting, Takes, uniform};
use crate::affine::Affine;

pub(super) static FLIP: Definition = Definition {
    name: "flip",
    takes: Takes::Axis,
    numbers: &[],
    neutral: 0.0,
    draw: uniform,
    caption: |drawn| {
        match axis(drawn) {
            Axis::LeftRight => "flip ↔",
            Axis::TopBottom => "flip ↕",
        }
        .to_owned()
    },
    effect: Effect::Geometry(|drawn, frame| {
        let (across, down) = match axis(drawn) {
            Axis::LeftRight => (-1.0, 1.0),
            Axis::TopBottom => (1.0, -1.0),
        };
        Affine::scale(across, down, frame.middle())
    }),
};

/// A policy is refused where a flip has none.
fn axis(drawn: &Drawn) -> Axis {
    match drawn.setting {
        Setting::Axis(axis) => axis,
        Setting::Range(..) => Axis::LeftRight,
    }
}
