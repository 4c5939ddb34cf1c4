//! Weights that make small classes count as much as large ones.

use std::collections::BTreeMap;

use serde::Serialize;

use super::counts::ClassCount;

/// The beta that is used when none is asked for: new images of a class add less and less, and
/// 1 / (1 - beta) = 1,000 is the most that a class can count for. Of the betas 0.9 to 0.9999 of the paper
/// it is the one that still tells classes of some hundred images apart.
pub const DEFAULT_BETA: f64 = 0.999;

/// What an image of a class weighs in training.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Weight {
    /// The class.
    pub class: String,
    /// Its images that are trained on.
    pub images: u64,
    /// By inverse frequency: all images / (classes x images of the class), so that the mean over
    /// all images is 1. None for a class without images to train on; these are no class here.
    pub inverse_frequency: Option<f64>,
    /// The effective number of its images.
    pub effective_images: f64,
    /// By the effective number: in proportion to 1 / it, with a sum over the classes of as many as
    /// there are classes (Cui et al., Class-balanced loss based on effective number of samples, 2019).
    pub effective_number: Option<f64>,
}

/// The effective number of `images` samples: (1 - beta^images) / (1 - beta), from Cui et al., 2019.
/// `beta` is from 0 up to but not 1; 0 says that all images of a class are one.
pub fn effective_number(images: u64, beta: f64) -> f64 {
    // 1 - beta^n loses all digits where beta is close to 1.
    let logarithm = if beta > 0.0 { beta.ln() } else { f64::NEG_INFINITY };
    match images {
        0 => 0.0,
        _ => -(images as f64 * logarithm).exp_m1() / (1.0 - beta),
    }
}

pub(super) fn weights(
    classes: &[ClassCount],
    trained: &BTreeMap<&str, u64>,
    beta: f64,
) -> Vec<Weight> {
    let filled = trained.values().filter(|&&images| images > 0);
    let total = filled.clone().sum::<u64>() as f64;
    let number = filled.clone().count() as f64;
    let inverses: f64 = filled.map(|&images| 1.0 / effective_number(images, beta)).sum();
    let weight = |class: &ClassCount| {
        let images = trained[class.class.as_str()];
        let effective_images = effective_number(images, beta);
        let has_any = images > 0;
        Weight {
            class: class.class.clone(),
            images,
            inverse_frequency: has_any.then(|| total / (number * images as f64)),
            effective_images,
            effective_number: has_any.then(|| number / (effective_images * inverses)),
        }
    };
    classes.iter().map(weight).collect()
}
