//! The answer of `preview`.

mod copies;
mod frame;
mod json;
mod text;

pub use copies::Copies;
pub use frame::FrameCost;
pub use json::{FrameSettings, fill};
pub use text::{range_of, reason_in_words, step_name};

use sieve_core::augment::cost::{GeometryCost, Impact, Verdict};
use sieve_core::collection::Collection;
use sieve_core::limits::FindingLimits;

use super::Reply;
use super::sheet::Sheet;
use crate::config::CollectionConfig;
use crate::policy_file::NamedPolicy;
use crate::requests::PreviewRequest;

/// Everything that the answer reports.
pub struct Preview<'a> {
    /// What was typed.
    pub request: &'a PreviewRequest,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// The policy, and those that it is held against.
    pub policies: &'a [NamedPolicy],
    /// The split whose images are shown, where the collection has splits.
    pub split: Option<&'a str>,
    /// Whether that is a split which is never augmented.
    pub is_held_out: bool,
    /// Files in them.
    pub images: u64,
    /// Chosen files that are no readable images, and were passed over.
    pub passed_over: u64,
    /// What was painted.
    pub sheet: Option<&'a Sheet>,
    /// The collection.
    pub collection: &'a Collection,
    /// What each policy does; none where only the frame is shown.
    pub numbers: &'a [Numbers],
    /// What the frame does to the whole collection, where that was asked.
    pub frame: Option<&'a FrameCost>,
    /// The limits in force.
    pub limits: &'a FindingLimits,
}

/// What one policy does.
pub struct Numbers {
    /// To places.
    pub geometry: GeometryCost,
    /// To images.
    pub impact: Impact,
    /// What is said of each step.
    pub verdicts: Vec<Verdict>,
    /// Its processor time, where that was asked.
    pub cost: Option<ProcessorTime>,
}

/// Processor time of one thread, in milliseconds an image.
pub struct ProcessorTime {
    /// Images that were timed.
    pub images: u64,
    /// Decoding.
    pub decoding_ms: f64,
    /// The frame without augmentation.
    pub frame_ms: f64,
    /// The frame under the policy.
    pub policy_ms: f64,
    /// What each step adds, in the mean of all draws.
    pub step_ms: Vec<f64>,
}

impl Reply for Preview<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}
