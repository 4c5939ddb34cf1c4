//! Turns single pixels black or white: their share.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::canvas::Canvas;
use rand::RngExt;

pub(super) static SPECKLE: Definition = Definition {
    name: "speckle",
    does: "sets this share of the pixels to black or white, half each",
    range: Some(Range { unit: Unit::AreaShare, least: 0.0, most: 1.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "share", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("speckle {:.1}%", drawn.numbers[0] * 100.0),
    effect: Effect::Filter(|drawn, canvas: &mut Canvas| {
        let share = drawn.numbers[0];
        let mut random = drawn.random();
        for pixel in canvas.data.as_chunks_mut::<3>().0 {
            let at = random.random::<f64>();
            if at < share {
                *pixel = if at < share / 2.0 { [0.0; 3] } else { [255.0; 3] };
            }
        }
    }),
};
