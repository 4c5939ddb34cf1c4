//! How evenly things are spread over classes.

use serde::Serialize;

/// How the images of a collection are spread over its classes. Classes without any are left out.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Diversity {
    /// Classes that hold anything.
    pub classes: usize,
    /// Shannon's entropy of the shares in nats: minus the sum of p ln p (Shannon, 1948).
    pub entropy: f64,
    /// Entropy over its largest possible value, ln classes: 1 where all are as large, towards 0 where
    /// one holds nearly all (Pielou, 1966). None for a single class.
    pub evenness: Option<f64>,
    /// How many classes of one size would be as diverse: e to the power of the entropy (the Hill
    /// number of order 1: Hill, Diversity and Evenness, 1973).
    pub effective_classes: f64,
    /// The largest class over the smallest.
    pub ratio: f64,
    /// The accuracy of always answering the largest class: its share, 0 to 1.
    pub majority_accuracy: f64,
}

impl Diversity {
    /// Of these counts; none when all are 0.
    pub fn new(counts: impl IntoIterator<Item = u64>) -> Option<Self> {
        let counts: Vec<u64> = counts.into_iter().filter(|&count| count > 0).collect();
        let (&most, &least) = (counts.iter().max()?, counts.iter().min()?);
        let total = counts.iter().sum::<u64>() as f64;
        let shares = counts.iter().map(|&count| count as f64 / total);
        // A single class has entropy -0.
        let entropy = shares.map(|share| -share * share.ln()).sum::<f64>().max(0.0);
        Some(Diversity {
            classes: counts.len(),
            entropy,
            evenness: (counts.len() > 1).then(|| entropy / (counts.len() as f64).ln()),
            effective_classes: entropy.exp(),
            ratio: most as f64 / least as f64,
            majority_accuracy: most as f64 / total,
        })
    }
}
