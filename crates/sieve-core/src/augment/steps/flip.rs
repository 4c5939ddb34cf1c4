//! Mirrors left and right, or top and bottom.

use super::{Choice, Definition, Effect, Word};
use crate::affine::Affine;

/// Left and right exchanged.
const LEFT_RIGHT: &str = "left-right";
/// Top and bottom exchanged.
const TOP_BOTTOM: &str = "top-bottom";

pub(super) static FLIP: Definition = Definition {
    name: "flip",
    does: "mirrors the image; axis = \"left-right\" or \"top-bottom\"",
    range: None,
    second: None,
    word: Some(Choice {
        name: "axis",
        known: &[LEFT_RIGHT, TOP_BOTTOM],
        takes_colour: false,
        usual: None,
    }),
    numbers: &[],
    draw: |_, _| [0.0; super::MOST_NUMBERS],
    caption: |drawn| {
        match drawn.word {
            Some(Word::Known(TOP_BOTTOM)) => "flip ↕",
            _ => "flip ↔",
        }
        .to_owned()
    },
    effect: Effect::Geometry(|drawn, frame| {
        let (across, down) = match drawn.word {
            Some(Word::Known(TOP_BOTTOM)) => (1.0, -1.0),
            _ => (-1.0, 1.0),
        };
        Affine::scale(across, down, frame.middle()).into()
    }),
};
