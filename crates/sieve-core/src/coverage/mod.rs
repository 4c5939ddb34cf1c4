//! COVERAGE: what kinds of image a class has and lacks, held-out images unlike anything that was trained on, and classes that
//! look alike.
//!
//! Kinds are groups by appearance: they say how images look, not what is on them. Everything that is reported as missing is
//! beyond chance, corrected for the number of comparisons.

mod held_out;
mod kinds;
mod look_alikes;

pub use held_out::{Unseen, UnseenImage};
pub(crate) use kinds::grouped;
pub use kinds::{ClassKinds, Confined, Kind, MissingKind};
pub use look_alikes::{LookAlikes, Overlaps};

use crate::Error;
use crate::appearance::{Source, Subject, nearest_of_classes};
use crate::duplicates::DuplicateReport;
use crate::limits::FindingLimits;
use crate::progress::Progress;

/// Independent images that a class needs for its kinds to be distinguished.
pub const LEAST_OF_CLASS: u64 = 8;

/// What classes have and lack.
#[derive(Clone, Debug, Default)]
pub struct Coverage {
    /// The images that are covered.
    pub subject: Subject,
    /// The kinds of images of each class of the subject.
    pub classes: Vec<ClassKinds>,
    /// Kinds that most classes have and one lacks.
    pub missing: Vec<MissingKind>,
    /// Held-out images unlike anything in training, class by class; empty without splits.
    pub unseen: Vec<Unseen>,
    /// Pairs of classes that overlap.
    pub look_alikes: Overlaps,
}

/// Compares the independent images of all classes with enough of them, by what `source` has for the images of `found`;
/// `training` is the split that is trained on, if there is one.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn coverage(
    found: &DuplicateReport<'_>,
    source: &Source<'_>,
    training: Option<&str>,
    limits: &FindingLimits,
    seed: u64,
    progress: &dyn Progress,
) -> Result<Coverage, Error> {
    let subject = source.retained(Subject::new(found, LEAST_OF_CLASS));
    if subject.images.is_empty() {
        return Ok(Coverage { subject, ..Coverage::default() });
    }
    let table = source.space(&subject).near;
    progress.begin("comparing classes", Some(table.len() as u64));
    let nearest = nearest_of_classes(&table, &subject.starts(), progress)?;
    let chance = limits.chance;
    Ok(Coverage {
        classes: kinds::of_classes(&subject, found, &table, chance, seed),
        missing: kinds::missing(&subject, &table, chance, seed),
        unseen: match training {
            Some(training) => held_out::unseen(&subject, found, &table, training, chance),
            None => Vec::new(),
        },
        look_alikes: look_alikes::overlaps(&subject, &nearest),
        subject,
    })
}
