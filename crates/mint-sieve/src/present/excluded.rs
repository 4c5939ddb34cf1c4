//! Classes that an analysis leaves out, and why.

use sieve_core::appearance::{Excluded, Reason, Subject};

use super::counted;
use crate::console::{FAINT, safe};

/// Classes that are named.
const NAMED: usize = 6;

/// The lines of a subject; nothing where nothing is left out.
pub fn of_subject(subject: &Subject) -> String {
    let mut text = text(&subject.excluded);
    for (count, why) in
        [(subject.unlabelled, "in no class"), (subject.incomparable, "nothing to compare them by")]
    {
        if count > 0 {
            let images = counted(count, "image", "images");
            text.push_str(&format!("{FAINT}left out, {why}: {images}{FAINT:#}\n"));
        }
    }
    text
}

/// A line for each reason; nothing where nothing is left out.
pub fn text(excluded: &[Excluded]) -> String {
    let mut text = String::new();
    for reason in [Reason::TooFew, Reason::MostlyDuplicates] {
        let classes: Vec<String> = excluded
            .iter()
            .filter(|one| one.reason == reason)
            .map(|one| format!("{:?} ({})", one.class, one.independent))
            .collect();
        if classes.is_empty() {
            continue;
        }
        let why = match reason {
            Reason::TooFew => "too few independent images",
            Reason::MostlyDuplicates => "mostly duplicates",
        };
        let more = classes.len().saturating_sub(NAMED);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let named = classes.iter().take(NAMED).cloned().collect::<Vec<_>>().join(", ");
        text.push_str(&format!("{FAINT}left out, {why}: {}{more}{FAINT:#}\n", safe(&named)));
    }
    text
}
