//! STATISTICS: the formulas that analyses share. Each says where it comes from.
//!
//! Logarithms are natural. What is not defined - one class, no images - is none, never 0 or NaN.

mod contingency;
mod correction;
mod diversity;
mod interval;
mod ranks;
mod runs;

pub use contingency::{AssociationTest, Contingency, total_variation};
pub use correction::holm;
pub use diversity::Diversity;
pub use interval::{Interval, wilson};
pub use ranks::{RankTest, Scale, kruskal_wallis, median, upper_median};
pub use runs::{Runs, RunsTest};

use statrs::distribution::{ChiSquared, ContinuousCDF};

/// The chance of a chi-squared value of at least `value` at `degrees` of freedom.
fn chance_of(value: f64, degrees: u64) -> f64 {
    let distribution = ChiSquared::new(degrees as f64).expect("degrees are above 0");
    distribution.sf(value).clamp(0.0, 1.0)
}

/// How strong an effect is, in words: below 0.1 negligible, below 0.3 weak, below 0.5 moderate, then
/// strong (the bounds of w in Cohen, Statistical Power Analysis for the Behavioral Sciences, 1988).
pub fn strength(effect: f64) -> &'static str {
    match effect {
        effect if effect < 0.1 => "negligible",
        effect if effect < 0.3 => "weak",
        effect if effect < 0.5 => "moderate",
        _ => "strong",
    }
}

#[cfg(test)]
mod tests;
