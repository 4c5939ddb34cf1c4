//! Makes light cooler or warmer: how many times red is doubled over blue.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::augment::colour::Colour;
use crate::augment::canvas::LUMA;

pub(super) static WARMTH: Definition = Definition {
    name: "warmth",
    does: "shift in the red/blue ratio, in stops; below 0 cooler, above 0 warmer; the luma of white is kept",
    range: Some(Range { unit: Unit::Stops, least: -2.0, most: 2.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "stops", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("warm {:+.2}", drawn.numbers[0]),
    effect: Effect::Colour(|drawn| {
        let half = drawn.numbers[0] / 2.0;
        let gains = [half.exp2() as f32, 1.0, (-half).exp2() as f32];
        let white: f32 = gains.iter().zip(LUMA).map(|(gain, weight)| gain * weight).sum();
        let row = |own: usize| {
            std::array::from_fn(|c| if c == own { gains[c] / white } else { 0.0 })
        };
        Colour::Mix([row(0), row(1), row(2)])
    }),
};
