//! Turns colours around the circle: degrees, as `hue-rotate()` does in CSS (Filter Effects Level 1).

use super::{Definition, Effect, Number, Range, Strength, Unit, once, signed};
use crate::augment::colour::Colour;

pub(super) static HUE: Definition = Definition {
    name: "hue",
    does: "rotates hues, as hue-rotate() in CSS",
    range: Some(Range { unit: Unit::Degrees, least: -180.0, most: 180.0, usual: None }),
    second: None,
    word: None,
    numbers: &[Number { name: "degrees", strength: Strength::Linear(0.0) }],
    draw: once,
    caption: |drawn| format!("hue {}°", signed(drawn.numbers[0])),
    effect: Effect::Colour(|drawn| {
        let (sin, cos) = drawn.numbers[0].to_radians().sin_cos();
        // The matrices of the standard: what stays, what the cosine takes, what the sine takes.
        let stays = [0.213, 0.715, 0.072];
        let turned = [[-0.213, -0.715, 0.928], [0.143, 0.140, -0.283], [-0.787, 0.715, 0.072]];
        let row = |own: usize| {
            std::array::from_fn(|c| {
                let one = if c == own { 1.0 } else { 0.0 };
                (stays[c] + cos * (one - stays[c]) + sin * turned[own][c]) as f32
            })
        };
        Colour::Mix([row(0), row(1), row(2)])
    }),
};
