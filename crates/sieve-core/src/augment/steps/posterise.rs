//! Leaves few levels: bits of each value that are kept.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;

pub(super) static POSTERISE: Definition = Definition {
    name: "posterise",
    does: "keeps this many bits of each value: equal bands, spread from black to white",
    range: Some(Range { unit: Unit::Bits, least: 1.0, most: 8.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "bits", strength: Strength::Linear(8.0) }],
    draw: once,
    caption: |drawn| format!("{:.0} bits", drawn.numbers[0].round()),
    effect: Effect::Colour(|drawn| {
        let levels = drawn.numbers[0].round().exp2();
        Colour::steps(|value| (value * levels / 256.0).floor() * 255.0 / (levels - 1.0))
    }),
};
