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

/// Sums that the evidence is brought to.
const HIDDEN: usize = 12;

/// A logistic model with one layer of sums.
struct Weights {
    /// What each sum takes of each number of the evidence.
    inner: [[f32; EVIDENCE]; HIDDEN],
    /// What is added to each sum.
    shifts: [f32; HIDDEN],
    /// What each sum counts.
    outer: [f32; HIDDEN],
    /// What is added in any case.
    constant: f32,
    /// What each number is at least and at most: what the weights were fitted on had no more.
    limits: [[f32; EVIDENCE]; 2],
}

impl Weights {
    fn log_odds(&self, evidence: &Evidence) -> f32 {
        let [least, most] = &self.limits;
        let numbers: [f32; EVIDENCE] =
            std::array::from_fn(|at| evidence.numbers[at].clamp(least[at], most[at]));
        let sums = self.inner.iter().zip(self.shifts).zip(self.outer);
        let terms = sums.map(|((weights, shift), counts)| {
            let terms = numbers.iter().zip(weights);
            let sum = shift + terms.map(|(number, weight)| number * weight).sum::<f32>();
            counts * sum / (1.0 + sum.abs())
        });
        self.constant + terms.sum::<f32>()
    }
}

/// Log odds by which a second look may change a verdict.
const DOUBT: f32 = 2.5;

include!("coefficients.rs");

/// Whether a glance is worth a close look.
pub fn is_promising(glance: &Evidence) -> bool {
    GLANCE.log_odds(glance) > PROMISING
}

/// What the evidence says.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Verdict {
    /// Log odds that both show the same picture.
    pub log_odds: f32,
}

impl Verdict {
    /// Weighs the evidence.
    pub fn of(evidence: &Evidence) -> Self {
        let more = f32::from(evidence.departures.saturating_sub(1));
        Verdict { log_odds: CLOSE.log_odds(evidence) - more * DEPARTURE }
    }

    /// The chance that both show the same picture, 0 to 1.
    pub fn score(self) -> f32 {
        1.0 / (1.0 + (-self.log_odds).exp())
    }

    /// Whether it is sure.
    pub fn is_certain(self) -> bool {
        self.log_odds >= CERTAIN
    }

    /// Whether another look may change the answer.
    pub fn is_in_doubt(self) -> bool {
        !self.is_certain() && self.log_odds > ALIKE - DOUBT
    }

    /// Whether they at least look alike.
    pub fn is_alike(self) -> bool {
        self.log_odds >= ALIKE
    }
}
