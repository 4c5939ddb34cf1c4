//! Each rule in its turn, so that no image is dropped for the sake of one that is dropped itself.

use super::builder::{Draft, Proposed, Subject};
use super::request::RepairRequest;
use super::rules::Rule;
use super::{caps, classes, copies, files};

/// Proposes repairs. Rows of one group stand together; otherwise they are in the order of paths.
pub fn propose(subject: &Subject<'_>, wishes: &RepairRequest) -> Proposed {
    let mut draft = Draft::new(subject, wishes);
    for rule in Rule::ALL.iter().filter(|rule| wishes.rules.contains(rule)) {
        match rule {
            Rule::Unreadable => files::unreadable(&mut draft),
            Rule::Listed => files::listed(&mut draft),
            Rule::Codes => files::codes(&mut draft),
            Rule::Unplaced => files::unplaced(&mut draft),
            Rule::Extensions => files::extensions(&mut draft),
            Rule::Orientation => files::orientation(&mut draft),
            Rule::Formats => files::formats(&mut draft),
            Rule::Conflicts => copies::conflicts(&mut draft),
            Rule::Leaks => copies::leaks(&mut draft),
            Rule::Copies => copies::copies(&mut draft),
            Rule::Bursts => copies::bursts(&mut draft),
            Rule::Classes => classes::chosen(&mut draft),
            Rule::Spellings => classes::spellings(&mut draft),
            Rule::Names => classes::names(&mut draft),
            Rule::Floor => classes::floor(&mut draft),
            Rule::Cap => caps::cap(&mut draft),
        }
    }
    draft.withdraw_impossible();
    draft.finished()
}
