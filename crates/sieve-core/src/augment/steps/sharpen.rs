//! Sharpens: how much of what a blur would take away is added.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::canvas::Canvas;
use super::blur::blur;

pub(super) static SHARPEN: Definition = Definition {
    name: "sharpen",
    does: "unsharp mask, radius 1 px, with this amount",
    range: Some(Range { unit: Unit::Factor, least: 0.0, most: 10.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "amount", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("sharpen {:.1}", drawn.numbers[0]),
    effect: Effect::Filter(|drawn, canvas| {
        let amount = drawn.numbers[0] as f32;
        let mut blurred: Canvas = canvas.clone();
        blur(&mut blurred, 1.0);
        for (value, blurred) in canvas.data.iter_mut().zip(blurred.data) {
            *value = (*value + (*value - blurred) * amount).clamp(0.0, 255.0);
        }
    }),
};
