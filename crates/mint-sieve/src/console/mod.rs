//! CONSOLE: what every line on a terminal obeys: names that steer nothing, a few styles, warnings and errors.

mod names;
mod style;

pub use names::{is_unseen, quoted, safe, safe_lines};
pub use style::{ERROR, FAINT, HEADING, WARNING, heading, of_severity};

use std::fmt::Write as _;
use std::io::Write as _;

use crate::failure::Failure;

/// An error message with its hint.
pub fn failure(failure: &Failure) -> String {
    let mut text = format!("{ERROR}error:{ERROR:#} {}\n", safe(&failure.message));
    if let Some(hint) = &failure.hint {
        let _ = writeln!(text, "       {}", safe(hint));
    }
    text
}

/// Says something on standard error that did not stop the work.
pub fn warn(text: &str) {
    let _ = writeln!(anstream::stderr(), "{WARNING}warning:{WARNING:#} {}", safe(text));
}
