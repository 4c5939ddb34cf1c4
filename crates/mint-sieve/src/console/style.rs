//! Colours and the few fixed elements of text answers.

use anstyle::{AnsiColor, Style};
use sieve_core::finding::Severity;

/// Titles of parts of an answer.
pub const HEADING: Style = Style::new().bold();
/// What is wrong.
pub const ERROR: Style = AnsiColor::Red.on_default().bold();
/// What to look at.
pub const WARNING: Style = AnsiColor::Yellow.on_default().bold();
/// What is worth knowing.
const NOTE: Style = AnsiColor::Cyan.on_default();
/// What may be passed over.
pub const FAINT: Style = Style::new().dimmed();

/// The style of a severity's name.
pub fn of_severity(severity: Severity) -> Style {
    match severity {
        Severity::Error => ERROR,
        Severity::Warning => WARNING,
        Severity::Note => NOTE,
    }
}

/// A title.
pub fn heading(text: &str) -> String {
    format!("{HEADING}{text}{HEADING:#}")
}
