//! Turns light into dark: 255 less the value.

use super::{Definition, Effect};
use crate::augment::colour::Colour;

pub(super) static INVERT: Definition = Definition {
    name: "invert",
    does: "inverts each value (255 - value)",
    range: None,
    second: None,
    word: None,
    numbers: &[],
    draw: |_, _| [0.0; super::MOST_NUMBERS],
    caption: |_| "invert".to_owned(),
    effect: Effect::Colour(|_| Colour::Line { slope: -1.0, offset: 255.0 }),
};
