//! How sure it is that two pictures show the same.
//!
//! A logistic model over the evidence. `scripts/fit-likeness.py` fitted its numbers to pairs of
//! pictures and known copies of them, and says how.

use super::evidence::{EVIDENCE, Evidence};

/// Log odds from which two pictures count as the same.
const CERTAIN: f32 = 3.0;
/// Log odds from which two pictures look alike.
const ALIKE: f32 = 0.0;

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
        let n = &evidence.numbers;
        let together = TOGETHER.map(|(a, b)| n[a] * n[b]);
        let terms = n.iter().chain(&together).zip(&WEIGHTS);
        Verdict { log_odds: CONSTANT + terms.map(|(value, weight)| value * weight).sum::<f32>() }
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
