//! A list of labels: is it shuffled, or do equal ones follow each other?

use statrs::distribution::{ContinuousCDF, Normal};

/// Runs of equal labels, gathered over several lists.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Runs {
    pub(super) observed: f64,
    pub(super) expected: f64,
    pub(super) variance: f64,
}

/// Whether there are fewer runs than a shuffle would give.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RunsTest {
    /// Runs of equal labels in all lists.
    pub observed: u64,
    /// As many as a shuffle gives on average.
    pub expected: f64,
    /// The chance of so few in shuffled lists, by the normal distribution, one side only.
    pub p: f64,
}

impl Runs {
    /// Takes one more list; labels are numbers from 0. Mean and variance of the number of runs are
    /// those of Mood (The distribution theory of runs, 1940).
    pub fn add(&mut self, labels: &[usize]) {
        let mut counts = vec![0.0f64; labels.iter().max().map_or(0, |most| most + 1)];
        labels.iter().for_each(|&label| counts[label] += 1.0);
        let n = labels.len() as f64;
        if counts.iter().filter(|&&count| count > 0.0).count() < 2 {
            return; // such a list can only be one run
        }
        let squares: f64 = counts.iter().map(|count| count * count).sum();
        let cubes: f64 = counts.iter().map(|count| count * count * count).sum();
        self.observed += 1.0 + labels.windows(2).filter(|pair| pair[0] != pair[1]).count() as f64;
        self.expected += (n * (n + 1.0) - squares) / n;
        let variance = squares * (squares + n * (n + 1.0)) - 2.0 * n * cubes - n * n * n;
        self.variance += variance / (n * n * (n - 1.0));
    }

    /// The test over all lists; none when chance has no room in them.
    pub fn test(&self) -> Option<RunsTest> {
        if self.variance <= 0.0 {
            return None;
        }
        let z = (self.observed - self.expected) / self.variance.sqrt();
        let p = Normal::standard().cdf(z);
        Some(RunsTest { observed: self.observed as u64, expected: self.expected, p })
    }
}
