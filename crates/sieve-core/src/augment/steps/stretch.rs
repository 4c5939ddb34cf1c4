//! Makes wider or higher, keeping the area: a factor of width over height.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::affine::Affine;

pub(super) static STRETCH: Definition = Definition {
    name: "stretch",
    does: "changes the aspect ratio by this factor, keeping the area; above 1 wider",
    range: Some(Range { unit: Unit::Factor, least: 0.1, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "aspect", strength: Strength::Ratio }],
    draw: once,
    caption: |drawn| format!("stretch {:.2}", drawn.numbers[0]),
    effect: Effect::Geometry(|drawn, frame| {
        let wider = drawn.numbers[0].sqrt();
        Affine::scale(wider, 1.0 / wider, frame.middle()).into()
    }),
};
