//! REVIEW: what the wrong predictions of a model say about the data, and what its score is really worth.
//!
//! Predictions come from a file that any training script may have written; nothing of it is believed unchecked.

mod against;
mod cases;
mod doubtful;
mod factors;
mod matching;
mod metrics;
mod table;

pub use against::{Against, against};
pub use cases::{Case, Flag, Known, Neighbour, Quadrants, Suggestion, cases};
pub use doubtful::{Doubtful, DoubtfulLabels, doubtful_labels};
pub use factors::{Factor, factors};
pub use matching::{ClassNumbers, Matched, Prediction, Unmatchable, Unmatched, matched};
pub use metrics::{BINS, Bin, Calibration, Independence, Metrics, metrics};
pub use table::PredictionTable;

#[cfg(test)]
mod tests;
