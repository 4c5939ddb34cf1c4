//! CONFUSION: which classes predictions take for which, and the shares that follow from it.

use serde::Serialize;

use crate::statistics::{Interval, wilson};

/// How many images of each class were taken for each.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Confusion {
    classes: usize,
    /// One row for each true class, one column for each predicted one.
    counts: Vec<u64>,
}

/// A share and the interval in which the true one lies, given how many images it was counted on.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Share {
    /// From 0 to 1.
    pub share: f64,
    /// Of these.
    pub of: u64,
    /// 95%.
    pub interval: Interval,
}

impl Share {
    /// `count` of `of`, with Wilson's interval; none of nothing.
    pub fn new(count: u64, of: u64) -> Option<Self> {
        let share = count as f64 / of as f64;
        wilson(share, of).map(|interval| Share { share, of, interval })
    }
}

impl Share {
    /// A mean of shares that were each counted on the same `of` images, at least one: the interval is that of one of them.
    pub fn mean(share: f64, of: u64) -> Self {
        let interval = wilson(share, of).unwrap_or(Interval { low: 0.0, high: 1.0 });
        Share { share, of, interval }
    }
}

/// How well one class is recognised.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ClassScore {
    /// Images of the class.
    pub images: u64,
    /// Images that were taken for it.
    pub predicted: u64,
    /// Those of both.
    pub correct: u64,
    /// Share of what was taken for it that is of it.
    pub precision: Option<Share>,
    /// Share of it that was taken for it.
    pub recall: Option<Share>,
    /// Their harmonic mean. Its interval follows from that of the share of correct ones among all that are of the class or were
    /// taken for it, of which it is a function that only rises.
    pub f1: Option<Share>,
}

/// Images of one class that were taken for another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Confused {
    /// The class that they are of.
    pub class: u32,
    /// The class that they were taken for.
    pub predicted: u32,
    /// How many.
    pub images: u64,
}

impl Confusion {
    /// Counts pairs of a true and a predicted class.
    ///
    /// # Panics
    ///
    /// When a number is not below `classes`.
    pub fn new(classes: usize, pairs: impl IntoIterator<Item = (u32, u32)>) -> Self {
        let mut counts = vec![0; classes * classes];
        for (class, predicted) in pairs {
            assert!((predicted as usize) < classes, "a class has a number below {classes}");
            counts[class as usize * classes + predicted as usize] += 1;
        }
        Confusion { classes, counts }
    }

    /// Classes.
    pub fn classes(&self) -> usize {
        self.classes
    }

    /// Images of `class` that were taken for `predicted`.
    pub fn count(&self, class: usize, predicted: usize) -> u64 {
        self.counts[class * self.classes + predicted]
    }

    /// All images.
    pub fn images(&self) -> u64 {
        self.counts.iter().sum()
    }

    /// Images of a class.
    pub fn of_class(&self, class: usize) -> u64 {
        self.counts[class * self.classes..][..self.classes].iter().sum()
    }

    /// The share that was predicted correctly.
    pub fn accuracy(&self) -> Option<Share> {
        let correct = (0..self.classes).map(|class| self.count(class, class)).sum();
        Share::new(correct, self.images())
    }

    /// The largest class, of equals the first, and its share: what always predicting it would score.
    pub fn majority(&self) -> Option<(usize, Share)> {
        let first = |best: usize, class: usize| {
            if self.of_class(class) > self.of_class(best) { class } else { best }
        };
        let largest = (0..self.classes).reduce(first)?;
        Some((largest, Share::new(self.of_class(largest), self.images())?))
    }

    /// How well a class is recognised.
    pub fn score(&self, class: usize) -> ClassScore {
        let correct = self.count(class, class);
        let images = self.of_class(class);
        let predicted = (0..self.classes).map(|other| self.count(other, class)).sum();
        let f1 = Share::new(correct, images + predicted - correct).map(|both| {
            let harmonic = |share: f64| 2.0 * share / (1.0 + share);
            let Interval { low, high } = both.interval;
            let interval = Interval { low: harmonic(low), high: harmonic(high) };
            Share { share: harmonic(both.share), of: both.of, interval }
        });
        ClassScore {
            images,
            predicted,
            correct,
            precision: Share::new(correct, predicted),
            recall: Share::new(correct, images),
            f1,
        }
    }

    /// Which class was taken for which other, the most images first, then by the numbers of the classes.
    pub fn confused(&self) -> Vec<Confused> {
        let classes = self.classes as u32;
        let pairs = (0..classes).flat_map(|class| (0..classes).map(move |other| (class, other)));
        let mut confused: Vec<Confused> = pairs
            .filter(|(class, predicted)| class != predicted)
            .map(|(class, predicted)| Confused {
                class,
                predicted,
                images: self.count(class as usize, predicted as usize),
            })
            .filter(|one| one.images > 0)
            .collect();
        confused.sort_by_key(|one| (std::cmp::Reverse(one.images), one.class, one.predicted));
        confused
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_follow_from_the_counts() {
        // Three classes: 8 of 10 right, 1 of 2 right, none there.
        let counts = [(0, 0, 8), (0, 1, 2), (1, 0, 1), (1, 1, 1)];
        let pairs = counts
            .iter()
            .flat_map(|&(class, predicted, count)| std::iter::repeat_n((class, predicted), count));
        let confusion = Confusion::new(3, pairs);
        let accuracy = confusion.accuracy().unwrap();
        assert_eq!((accuracy.share, accuracy.of), (0.75, 12));
        // Wilson's interval of 9 of 12 (Newcombe, Two-sided confidence intervals, 1998, method 3).
        assert!((accuracy.interval.low - 0.4677).abs() < 1e-4, "{accuracy:?}");
        assert!((accuracy.interval.high - 0.9111).abs() < 1e-4, "{accuracy:?}");
        let (largest, share) = confusion.majority().unwrap();
        assert_eq!((largest, share.share), (0, 10.0 / 12.0));
        let first = confusion.score(0);
        assert_eq!(first.precision.unwrap().share, 8.0 / 9.0);
        assert_eq!(first.recall.unwrap().share, 0.8);
        let f1 = first.f1.unwrap();
        let harmonic = 2.0 * (8.0 / 9.0) * 0.8 / (8.0 / 9.0 + 0.8);
        assert!((f1.share - harmonic).abs() < 1e-15, "{f1:?}");
        assert!(f1.interval.low < f1.share && f1.share < f1.interval.high);
        let absent = confusion.score(2);
        assert_eq!((absent.precision, absent.recall, absent.f1), (None, None, None));
        let confused: Vec<_> =
            confusion.confused().iter().map(|one| (one.class, one.predicted, one.images)).collect();
        assert_eq!(confused, [(0, 1, 2), (1, 0, 1)]);
        assert_eq!(Confusion::new(0, []).majority(), None);
    }

    proptest::proptest! {
        #[test]
        fn rows_columns_and_scores_fit_together(pairs in proptest::collection::vec((0u32..4, 0u32..4), 1..60)) {
            let confusion = Confusion::new(4, pairs.iter().copied());
            proptest::prop_assert_eq!(confusion.images(), pairs.len() as u64);
            let right = pairs.iter().filter(|(class, predicted)| class == predicted).count();
            let accuracy = confusion.accuracy().unwrap();
            proptest::prop_assert_eq!(accuracy.share, right as f64 / pairs.len() as f64);
            let mut predicted = 0;
            for class in 0..4 {
                let score = confusion.score(class);
                predicted += score.predicted;
                let truly = pairs.iter().filter(|pair| pair.0 as usize == class).count() as u64;
                proptest::prop_assert_eq!(score.images, truly);
                for share in [score.precision, score.recall, score.f1].into_iter().flatten() {
                    let Interval { low, high } = share.interval;
                    proptest::prop_assert!(0.0 <= low && low <= share.share + 1e-12 && share.share <= high + 1e-12 && high <= 1.0);
                }
                // The harmonic mean lies between both, and is none only where neither is defined.
                if let (Some(precision), Some(recall), Some(f1)) = (score.precision, score.recall, score.f1) {
                    let (low, high) = (precision.share.min(recall.share), precision.share.max(recall.share));
                    proptest::prop_assert!(low - 1e-12 <= f1.share && f1.share <= high + 1e-12);
                }
                proptest::prop_assert_eq!(score.f1.is_none(), score.images + score.predicted == 0);
            }
            proptest::prop_assert_eq!(predicted, pairs.len() as u64);
            let wrong: u64 = confusion.confused().iter().map(|one| one.images).sum();
            proptest::prop_assert_eq!(wrong as usize + right, pairs.len());
            proptest::prop_assert!(confusion.confused().windows(2).all(|two| two[0].images >= two[1].images));
            // Always predicting the largest class is right for as many as it has.
            let (largest, share) = confusion.majority().unwrap();
            proptest::prop_assert!((0..4).all(|class| confusion.of_class(class) <= confusion.of_class(largest)));
            proptest::prop_assert_eq!(share.of, pairs.len() as u64);
        }
    }
}
