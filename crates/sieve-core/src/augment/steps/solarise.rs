//! Inverts what is bright: the level from which values are taken from 255.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;

pub(super) static SOLARISE: Definition = Definition {
    name: "solarise",
    does: "inverts values from this level up, like overexposed film; 256 changes nothing",
    range: Some(Range { unit: Unit::Levels, least: 0.0, most: 256.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "level", strength: Strength::Linear(256.0) }],
    draw: once,
    caption: |drawn| format!("solarise {:.0}", drawn.numbers[0]),
    effect: Effect::Colour(|drawn| {
        let level = drawn.numbers[0];
        Colour::steps(|value| if value >= level { 255.0 - value } else { value })
    }),
};
