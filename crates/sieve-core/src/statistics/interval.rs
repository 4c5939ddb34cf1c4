//! The interval in which a share lies, given how many images it was counted on.

use serde::Serialize;

/// The 97.5 % point of the normal distribution: what an interval of 95% is made with.
const Z: f64 = 1.959_963_984_540_054;

/// The shares, 0 to 1, between which the true one lies with 95 % confidence.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Interval {
    /// The least.
    pub low: f64,
    /// The most.
    pub high: f64,
}

impl Interval {
    /// Most minus least.
    pub fn width(self) -> f64 {
        self.high - self.low
    }
}

/// Wilson's score interval at 95% for a `share` that was measured on `number` things, without a
/// correction for continuity (Wilson, Probable inference, 1927). The share need not be one that so
/// many things can give. None for no things.
pub fn wilson(share: f64, number: u64) -> Option<Interval> {
    if number == 0 {
        return None;
    }
    let (n, square) = (number as f64, Z * Z);
    let centre = share + square / (2.0 * n);
    let spread = Z * (share * (1.0 - share) / n + square / (4.0 * n * n)).sqrt();
    let scale = 1.0 + square / n;
    Some(Interval {
        low: ((centre - spread) / scale).max(0.0),
        high: ((centre + spread) / scale).min(1.0),
    })
}
