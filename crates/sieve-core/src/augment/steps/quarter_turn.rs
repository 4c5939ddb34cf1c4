//! Turns by quarters, for images without an up: taken from above, through a microscope.

use super::{Definition, Effect, Number, Range, Strength, Unit, once};
use crate::affine::Affine;

pub(super) static QUARTER_TURN: Definition = Definition {
    name: "quarter-turn",
    does: "rotates by 0, 90, 180 or 270 degrees counter-clockwise [default: any of them]",
    range: Some(Range {
        unit: Unit::QuarterTurns,
        least: 0.0,
        most: 270.0,
        usual: Some(&[0.0, 90.0, 180.0, 270.0]),
    }),
    second: None,
    word: None,
    numbers: &[Number { name: "degrees", strength: Strength::Fixed }],
    draw: once,
    caption: |drawn| format!("turn {:.0}°", drawn.numbers[0]),
    // In a frame that is not square the turned image is squeezed into it: nothing is cut or invented.
    effect: Effect::Geometry(|drawn, frame| {
        let turned = Affine::rotate(drawn.numbers[0], frame.middle());
        let aspect = f64::from(frame.width_px) / f64::from(frame.height_px);
        let squeezed = if drawn.numbers[0] % 180.0 == 0.0 { 1.0 } else { aspect };
        turned.then(Affine::scale(squeezed, 1.0 / squeezed, frame.middle())).into()
    }),
};
