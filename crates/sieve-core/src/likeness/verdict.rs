//! How sure it is that two pictures show the same.
//!
//! A logistic model over the evidence, with one layer of sums between, so that what one number is
//! worth may hang on the others: correlation says little about a picture of two lines.
//! `scripts/fit-likeness.py` fitted its numbers to pairs of pictures and known copies of them, and says
//! how.

use super::evidence::{EVIDENCE, Evidence};

/// Log odds from which two pictures count as the same: a chance of 0.982. docs/duplicates.md says how
/// many copies and how many others are above.
const CERTAIN: f32 = 4.0;
/// What each way of changing a picture beyond the first takes from the log odds: copies are mirrored,
/// tilted, cropped or squeezed, but seldom two of these at once, while single things on plain ground
/// fit each other once all may be done. Set on the made-up leaves of the demo.
const DEPARTURE: f32 = 2.5;
/// Log odds from which two pictures look alike: a chance of 0.88.
const ALIKE: f32 = 2.0;

include!("coefficients.rs");

/// What the evidence says.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Verdict {
    /// Log odds that both show the same picture.
    pub log_odds: f32,
}

impl Verdict {
    /// Weighs the evidence.
    pub fn of(evidence: &Evidence) -> Self {
        let sums = INNER.iter().zip(SHIFTS).zip(OUTER).map(|((weights, shift), counts)| {
            let terms = evidence.numbers.iter().zip(weights);
            let sum = shift + terms.map(|(number, weight)| number * weight).sum::<f32>();
            counts * sum / (1.0 + sum.abs())
        });
        let more = f32::from(evidence.departures.saturating_sub(1));
        Verdict { log_odds: CONSTANT + sums.sum::<f32>() - more * DEPARTURE }
    }

    /// The chance that both show the same picture, 0 to 1.
    pub fn score(self) -> f32 {
        1.0 / (1.0 + (-self.log_odds).exp())
    }

    /// Whether it is sure.
    pub fn is_certain(self) -> bool {
        self.log_odds >= CERTAIN
    }

    /// Whether they at least look alike.
    pub fn is_alike(self) -> bool {
        self.log_odds >= ALIKE
    }
}
