//! CONSOLE: what every line on a terminal obeys: names that steer nothing, a few styles, the width, warnings and
//! errors.

mod graphics;
mod layout;
mod names;
mod shorten;
mod style;
mod table;

pub use graphics::show;
pub use layout::lay_out;
pub use names::{is_unseen, quoted, safe, safe_lines};
pub use style::{ERROR, FAINT, HEADING, WARNING, heading, of_severity};
pub use table::{Align, Narrow, table};

use std::fmt::Write as _;
use std::io::Write as _;

use crate::failure::Failure;

/// How wide a line on the terminal that answers go to may be; none where they go elsewhere.
pub fn width() -> Option<usize> {
    terminal_size::terminal_size_of(std::io::stdout()).map(|(width, _)| usize::from(width.0))
}

/// The same for what is said beside answers.
fn width_of_errors() -> Option<usize> {
    terminal_size::terminal_size_of(std::io::stderr()).map(|(width, _)| usize::from(width.0))
}

/// An error message with its hint.
pub fn failure(failure: &Failure) -> String {
    let mut text = format!("{ERROR}error:{ERROR:#} {}\n", safe(&failure.message));
    for detail in &failure.details {
        let _ = writeln!(text, "         {}", safe(detail));
    }
    if let Some(hint) = &failure.hint {
        let _ = writeln!(text, "       {}", safe(hint));
    }
    lay_out(&text, width_of_errors())
}

/// Says something on standard error that did not stop the work.
pub fn warn(text: &str) {
    let text = format!("{WARNING}warning:{WARNING:#} {}\n", safe(text));
    let _ = anstream::stderr().write_all(lay_out(&text, width_of_errors()).as_bytes());
}
