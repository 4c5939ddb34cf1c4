//! Takes the colour away: luma in red, green and blue.

use super::{Definition, Effect};
use crate::augment::colour::Colour;
use crate::augment::canvas::LUMA;

pub(super) static GREY: Definition = Definition {
    name: "grey",
    does: "converts to greyscale (BT.709 luma)",
    range: None,
    second: None,
    word: None,
    numbers: &[],
    draw: |_, _| [0.0; super::MOST_NUMBERS],
    caption: |_| "grey".to_owned(),
    effect: Effect::Colour(|_| Colour::Mix([LUMA; 3])),
};
