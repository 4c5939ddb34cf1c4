//! What thumbnails say of two images that may show the same.
//!
//! `scripts/fit-likeness.py` fitted the weights to pairs of images and known copies of them, and says how.

use super::alignment_features::{ALIGNMENT_FEATURES, AlignmentFeatures};
use super::weights::Weights;

/// What each way of changing an image beyond the first takes from the log odds: copies are mirrored,
/// tilted, cropped or squeezed, but seldom two of these at once, while single things on a uniform background
/// fit each other once all may be done. Set on the made-up leaves of the demo.
const PENALTY: f32 = 2.5;

/// Sums that the evidence is brought to: those of four fits.
const HIDDEN: usize = 48;

/// Log odds from which nothing better need be looked for, and that much below which another start changes nothing.
const CONCLUSIVE: f32 = 3.8;
const MARGIN: f32 = 4.3;

include!("coefficients.rs");

/// Whether a glance is worth a close look.
pub fn is_promising(glance: &AlignmentFeatures) -> bool {
    GLANCE.log_odds(&glance.fit.to_array()) > PROMISING
}

/// The log odds that thumbnails give two images.
#[derive(Clone, Copy, Debug, PartialEq, PartialOrd)]
pub struct Verdict {
    /// Log odds that both show the same image.
    pub log_odds: f32,
}

impl Verdict {
    /// Weighs the evidence.
    pub fn from_features(features: &AlignmentFeatures) -> Self {
        let ways: f32 = features.ways.map(|way| f32::from(u8::from(way))).iter().sum();
        Verdict {
            log_odds: CLOSE.log_odds(&features.fit.to_array()) - (ways - 1.0).max(0.0) * PENALTY,
        }
    }

    /// Whether nothing better need be looked for.
    pub fn is_conclusive(self) -> bool {
        self.log_odds >= CONCLUSIVE
    }

    /// Whether another start may change the answer.
    pub fn is_near_conclusive(self) -> bool {
        !self.is_conclusive() && self.log_odds > CONCLUSIVE - MARGIN
    }
}
