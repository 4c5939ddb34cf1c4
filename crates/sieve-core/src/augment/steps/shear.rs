//! Slants across, then down: degrees, drawn each by itself.

use super::{Definition, Effect, Number, Range, Strength, Unit, signed, twice};
use crate::affine::Affine;

pub(super) static SHEAR: Definition = Definition {
    name: "shear",
    does: "slants vertical lines, then horizontal ones, about the centre; the two angles are drawn independently",
    range: Some(Range { unit: Unit::Degrees, least: -60.0, most: 60.0, usual: None }),
    second: None,
    word: None,
    numbers: &[
        Number { name: "across", strength: Strength::Linear(0.0) },
        Number { name: "down", strength: Strength::Linear(0.0) },
    ],
    draw: twice,
    caption: |drawn| format!("shear {}° {}°", signed(drawn.numbers[0]), signed(drawn.numbers[1])),
    effect: Effect::Geometry(|drawn, frame| {
        let (x, y) = frame.middle();
        let [across, down] = [0, 1].map(|at: usize| drawn.numbers[at].to_radians().tan());
        let slanted = Affine([1.0, across, -across * y, 0.0, 1.0, 0.0]);
        slanted.then(Affine([1.0, 0.0, 0.0, down, 1.0, -down * x])).into()
    }),
};
