//! Takes the colour away: luma in red, green and blue.

use super::{Definition, Effect};
use crate::augment::colour::Colour;
use crate::augment::canvas::LUMA;

pub(super) static GREY: Definition = Definition {
    name: "grey",
    does: "takes the colour away: luma (ITU-R BT.709) in red, green and blue",
    range: None,
    second: None,
    word: None,
    numbers: &[],
    draw: |_, _| [0.0; super::MOST_NUMBERS],
    caption: |_| "grey".to_owned(),
    effect: Effect::Colour(|_| Colour::Mix([LUMA; 3])),
};
