//! Enlarges about the frame's middle: a factor, above 1 nearer.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::affine::Affine;

pub(super) static ZOOM: Definition = Definition {
    name: "zoom",
    does: "scales about the centre of the frame; above 1 enlarges",
    range: Some(Range { unit: Unit::Factor, least: 0.1, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "factor", strength: Strength::Ratio }],
    draw: once,
    caption: |drawn| format!("zoom {:.2}", drawn.numbers[0]),
    effect: Effect::Geometry(|drawn, frame| {
        Affine::scale(drawn.numbers[0], drawn.numbers[0], frame.middle()).into()
    }),
};
