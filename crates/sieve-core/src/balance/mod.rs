//! BALANCE: what a class count hides, and what can be done about it.
//!
//! Everything is counted twice: as files, and as independent images, where copies and frames of one
//! moment count once. Only images that lie in a class count.

mod associations;
mod counts;
mod held_out;
mod repair;
mod weights;

pub use associations::{Association, Cell, Residual};
pub use counts::{ClassCount, Largest, Scope, SplitCount, Spread};
pub use held_out::{ASSUMED_ACCURACY, ClassVerdict, HeldOut};
pub use repair::{Cap, Steps};
pub use weights::{DEFAULT_BETA, Weight, effective_number};

use std::collections::BTreeMap;

use serde::Serialize;

use crate::duplicates::DuplicateReport;
use crate::independent::{Independent, IndependentGroups};
use crate::limits::FindingLimits;

/// What decides a balance beside the limits.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Settings {
    /// Images in one step of training, if steps are wanted.
    pub batch: Option<u64>,
    /// Beta of the effective number of samples, 0 up to but not 1.
    pub beta: f64,
}

impl Default for Settings {
    fn default() -> Self {
        Settings { batch: None, beta: DEFAULT_BETA }
    }
}

/// How a collection is spread over its classes and splits.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Balance {
    /// The independent images of the collection, those in no class included.
    pub independent: Independent,
    /// The whole collection, then each split with an image in a class.
    pub scopes: Vec<Scope>,
    /// The classes in the order of their names, empty ones included.
    pub classes: Vec<ClassCount>,
    /// The split that is trained on; none in a collection without one: weights, caps and steps are
    /// then those of all images.
    pub training: Option<String>,
    /// The weights of the classes, in their order.
    pub weights: Vec<Weight>,
    /// Caps on the classes of what is trained on: at the smallest, and at the limit of imbalance.
    pub caps: Vec<Cap>,
    /// Images that the floor asks of each class.
    pub floor: u64,
    /// Steps of training, where a batch was given.
    pub steps: Option<Steps>,
    /// What the splits that are not trained on can tell.
    pub held_out: Vec<HeldOut>,
    /// How classes go together with facts beside the label. Facts that are the same for all images
    /// are left out.
    pub associations: Vec<Association>,
}

/// The images of `found` that lie in a class, by number.
fn labelled<'a>(found: &'a DuplicateReport<'_>) -> impl Iterator<Item = (usize, &'a str)> {
    let images = found.images.iter().enumerate();
    images.filter_map(|(number, image)| Some((number, image.record.class()?)))
}

/// The balance of the one collection that was searched for `found`; `classes` are all its classes,
/// sorted, and `splits` its splits in order.
pub fn balance(
    classes: &[String],
    splits: &[String],
    found: &DuplicateReport<'_>,
    limits: &FindingLimits,
    settings: &Settings,
) -> Balance {
    let units = IndependentGroups::independent(found);
    let floor = limits.thin_class.ceil() as u64;
    let counted = counts::classes(classes, splits, found, &units, floor);
    let scopes = counts::scopes(splits, &counted, found, &units);
    let training = splits.iter().find(|split| *split == "train").cloned();
    let trained: BTreeMap<&str, u64> = counted
        .iter()
        .map(|class| (class.class.as_str(), class.images_in(training.as_deref())))
        .collect();
    let total = trained.values().sum();
    Balance {
        independent: Independent::new(found),
        weights: weights::weights(&counted, &trained, settings.beta),
        caps: repair::caps(&trained, limits),
        floor,
        steps: settings.batch.and_then(|batch| Steps::new(total, batch)),
        held_out: held_out::verdicts(splits, training.as_deref(), &scopes, &counted, limits),
        associations: associations::associations(classes, found, &units, limits),
        scopes,
        classes: counted,
        training,
    }
}

#[cfg(test)]
mod tests;
