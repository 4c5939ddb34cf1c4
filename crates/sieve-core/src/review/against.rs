//! Two tables of predictions of the same images.

use std::collections::BTreeMap;

use statrs::distribution::{Binomial, DiscreteCDF};

use super::matching::Matched;

/// What one table has right and the other has not.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Against {
    /// Images of both.
    pub images: u64,
    /// Images that are right now and were wrong before: numbers in the report of the search.
    pub improved: Vec<u32>,
    /// Images that are wrong now and were right before.
    pub worsened: Vec<u32>,
    /// Right in both.
    pub both_right: u64,
    /// Wrong in both.
    pub both_wrong: u64,
    /// The chance of so uneven a change where neither is better: the exact test of McNemar (Note on the sampling error of the
    /// difference between correlated proportions, 1947), two-sided.
    pub p: f64,
}

/// Compares predictions with earlier ones, on the images that both are about.
pub fn against(now: &Matched, before: &Matched) -> Against {
    let earlier: BTreeMap<u32, bool> =
        before.predictions.iter().map(|one| (one.image, one.class == one.predicted)).collect();
    let mut against = Against { p: 1.0, ..Against::default() };
    for one in &now.predictions {
        let Some(&was_right) = earlier.get(&one.image) else { continue };
        against.images += 1;
        match (one.class == one.predicted, was_right) {
            (true, true) => against.both_right += 1,
            (false, false) => against.both_wrong += 1,
            (true, false) => against.improved.push(one.image),
            (false, true) => against.worsened.push(one.image),
        }
    }
    let (better, worse) = (against.improved.len() as u64, against.worsened.len() as u64);
    if better + worse > 0 {
        let fair = Binomial::new(0.5, better + worse).expect("a half is a chance");
        against.p = (2.0 * fair.cdf(better.min(worse))).min(1.0);
    }
    against
}
