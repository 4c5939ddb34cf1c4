//! PRESENTING: answers as text for people and as JSON or CSV for programs.

pub mod audit;
mod json;
mod names;
mod style;
mod table;

pub use json::envelope;
pub use names::{quoted, safe};
pub use style::{heading, next_step};

use std::fmt::Write;

use crate::failure::Failure;

/// An error message with its hint.
pub fn failure(failure: &Failure) -> String {
    let label = style::ERROR;
    let mut text = format!("{label}error:{label:#} {}\n", safe(&failure.message));
    if let Some(hint) = &failure.hint {
        let _ = writeln!(text, "       {}", safe(hint));
    }
    text
}

/// A number with the word for what is counted, in the plural where it is not one.
pub fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}
