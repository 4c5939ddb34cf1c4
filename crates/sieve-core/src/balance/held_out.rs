//! Can the splits that are not trained on carry a verdict?

use serde::Serialize;

use super::counts::{ClassCount, Scope};
use crate::limits::FindingLimits;
use crate::statistics::{Interval, wilson};

/// The accuracy for which intervals are given: what a usable model reaches.
pub const ASSUMED_ACCURACY: f64 = 0.9;

/// What a split that is not trained on can tell about a model.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct HeldOut {
    /// The split.
    pub split: String,
    /// Its images in a class.
    pub images: u64,
    /// Those of them that are independent.
    pub independent: u64,
    /// Between what an accuracy of 90% on all of them would be known, with 95 % confidence.
    pub interval: Interval,
    /// The same if only independent images are counted.
    pub independent_interval: Interval,
    /// Whether that is wider than the difference one wants to see.
    pub is_too_small: bool,
    /// The classes in their order.
    pub classes: Vec<ClassVerdict>,
}

/// What the images of one class can tell.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ClassVerdict {
    /// The class.
    pub class: String,
    /// Its images in the split.
    pub images: u64,
    /// Between what an accuracy of 90% on them would be known; none without images.
    pub interval: Option<Interval>,
}

pub(super) fn verdicts(
    splits: &[String],
    training: Option<&str>,
    scopes: &[Scope],
    classes: &[ClassCount],
    limits: &FindingLimits,
) -> Vec<HeldOut> {
    let held_out = splits.iter().filter(|split| Some(split.as_str()) != training);
    let verdict = |split: &String| {
        let scope = scopes.iter().find(|scope| scope.split.as_ref() == Some(split))?;
        let (images, independent) = (scope.files.images, scope.independent.images);
        let independent_interval = wilson(ASSUMED_ACCURACY, independent)?;
        let class = |class: &ClassCount| {
            let images = class.images_in(Some(split));
            let interval = wilson(ASSUMED_ACCURACY, images);
            ClassVerdict { class: class.class.clone(), images, interval }
        };
        Some(HeldOut {
            split: split.clone(),
            images,
            independent,
            interval: wilson(ASSUMED_ACCURACY, images)?,
            independent_interval,
            is_too_small: independent_interval.width() > limits.difference,
            classes: classes.iter().map(class).collect(),
        })
    };
    held_out.filter_map(verdict).collect()
}
