//! PRESENTING: answers as text for people and as JSON or CSV for programs.

pub mod audit;
pub mod balance;
pub mod duplicates;
mod findings;
mod json;
pub mod leakage;
pub mod limits;
mod names;
pub mod nearest;
mod next;
pub mod preview;
mod reading;
pub mod sheet;
pub mod split;
mod style;
mod table;

pub use json::{envelope, in_json};
pub use names::{safe, safe_lines};
pub use next::{command_line, next_step, sheet_file, splits_folder};
pub use reading::{ReadingSettings, collection_words, command_on, remark_line};
pub use style::heading;

use std::fmt::Write as _;
use std::io::Write as _;

use sieve_core::duplicates::{Found, Reach};
use sieve_core::measuring::SMALL_SIDE_PX;

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

/// Says something on standard error that did not stop the work.
pub fn warn(text: &str) {
    let label = style::WARNING;
    let _ = writeln!(anstream::stderr(), "{label}warning:{label:#} {}", safe(text));
}

/// A number with the word for what is counted, in the plural where it is not one.
pub fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{number} {}", if number == 1 { one } else { many })
}

/// The line that says of how many pictures less was compared than of the others; empty when of none.
pub fn small_images(found: &Found<'_>) -> String {
    if found.small == 0 || found.reach == Reach::Same {
        return String::new();
    }
    format!(
        "{} a side below {SMALL_SIDE_PX} pixels: only bytes and pixels of these are compared\n",
        counted(found.small, "image has", "images have"),
    )
}
