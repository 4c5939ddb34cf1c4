//! What balancing would cost, and what training takes.

use std::collections::BTreeMap;

use serde::Serialize;

use crate::limits::FindingLimits;

/// A most for every class, and what it would leave.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Cap {
    /// Images that each class keeps at most.
    pub images: u64,
    /// The ratio of the largest to the smallest class that is left.
    pub ratio: f64,
    /// Images that stay.
    pub keeps: u64,
    /// Images that go.
    pub drops: u64,
}

/// The cap at the smallest class that holds any, which makes all classes one size, and the one at the
/// limit of imbalance. None of them where nothing would go.
pub(super) fn caps(trained: &BTreeMap<&str, u64>, limits: &FindingLimits) -> Vec<Cap> {
    let filled = || trained.values().copied().filter(|&images| images > 0);
    let (Some(least), Some(most)) = (filled().min(), filled().max()) else { return Vec::new() };
    let cap = |images: u64| {
        let keeps = filled().map(|here| here.min(images)).sum();
        Cap {
            images,
            ratio: most.min(images) as f64 / least as f64,
            keeps,
            drops: filled().sum::<u64>() - keeps,
        }
    };
    let mut caps = vec![cap(least), cap((least as f64 * limits.imbalance.max(1.0)) as u64)];
    caps.dedup();
    caps.retain(|cap| cap.drops > 0);
    caps
}

/// Steps of training in which every image is seen once.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Steps {
    /// Images in a step.
    pub batch: u64,
    /// Images in all steps.
    pub images: u64,
    /// Steps, the partial one included.
    pub steps: u64,
    /// Steps with a full batch.
    pub full: u64,
    /// Images in the partial batch at the end; 0 when there is none.
    pub last: u64,
}

impl Steps {
    /// The steps of an epoch over `images`; none without images, or for an empty batch.
    pub(super) fn new(images: u64, batch: u64) -> Option<Self> {
        (images > 0 && batch > 0).then(|| Steps {
            batch,
            images,
            steps: images.div_ceil(batch),
            full: images / batch,
            last: images % batch,
        })
    }
}
