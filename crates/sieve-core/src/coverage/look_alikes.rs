//! Pairs of classes that look alike: candidates for a merge, a clash of names, or a closer look.

use crate::appearance::Subject;
use crate::statistics::{Interval, median, wilson};

/// The overlap from which a pair is reported: a quarter of what two halves of one class have, with 95% confidence.
const OVERLAPPING: f64 = 0.25;

/// Two classes whose images lie among each other.
#[derive(Clone, Debug, PartialEq)]
pub struct LookAlikes {
    /// The numbers of the classes.
    pub classes: [usize; 2],
    /// Images of both whose nearest neighbour in the other class is nearer than the one in their own.
    pub crossing: u64,
    /// Images of both.
    pub images: u64,
    /// The share of crossing images over the share that the halves of one class, of the same sizes, would have: 0 for classes
    /// that are apart, 1 for classes that cannot be told apart.
    pub overlap: f64,
    /// Between which values the overlap lies, with 95% confidence.
    pub interval: Interval,
    /// The places of crossing images, those that are nearest to the other class first.
    pub examples: Vec<usize>,
}

/// Classes from which the pair in the middle says what is usual.
const LEAST_CLASSES: usize = 4;
/// Crossing images that are named.
const EXAMPLES: usize = 6;

/// The pairs of classes that overlap more than their sizes and the other pairs explain.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Overlaps {
    /// The overlap of the pair in the middle: where it is high, what images are compared by does not tell these classes apart.
    pub median: f64,
    /// Those that overlap more than that, most first.
    pub pairs: Vec<LookAlikes>,
}

/// The pairs that overlap more than their sizes explain, and more than most pairs do. `nearest` are, for each image, the squared distances to the nearest
/// image of each class, itself left out.
pub fn overlaps(subject: &Subject, nearest: &[f32]) -> Overlaps {
    let classes = subject.classes.len();
    let far = |row: usize, class: usize| nearest[row * classes + class];
    let (mut all, mut overlaps) = (Vec::new(), Vec::new());
    for a in 0..classes {
        for b in a + 1..classes {
            let (rows_a, rows_b) = (&subject.classes[a].rows, &subject.classes[b].rows);
            let (m, n) = (rows_a.len() as f64, rows_b.len() as f64);
            let crossing = |rows: &std::ops::Range<usize>, own: usize, other: usize| {
                let rows = rows.clone().filter(move |&row| far(row, other) < far(row, own));
                rows.map(move |row| (far(row, other) / far(row, own).max(1e-12), row))
            };
            let mut across: Vec<(f32, usize)> =
                crossing(rows_a, a, b).chain(crossing(rows_b, b, a)).collect();
            // Of one class dealt out at random, the nearest neighbour is in the other part by the sizes alone.
            let by_size = 2.0 * m * n / ((m + n) * (m + n - 1.0));
            let images = (m + n) as u64;
            let share = across.len() as f64 / images as f64;
            overlaps.push((share / by_size).min(1.0));
            let Some(interval) = wilson(share, images) else { continue };
            let interval = Interval {
                low: (interval.low / by_size).min(1.0),
                high: (interval.high / by_size).min(1.0),
            };
            if interval.low < OVERLAPPING {
                continue;
            }
            across.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
            all.push(LookAlikes {
                classes: [a, b],
                crossing: across.len() as u64,
                images,
                overlap: (share / by_size).min(1.0),
                interval,
                examples: across.into_iter().take(EXAMPLES).map(|(_, row)| row).collect(),
            });
        }
    }
    let median = median(overlaps).unwrap_or(0.0);
    all.retain(|pair: &LookAlikes| pair.interval.low > median || classes < LEAST_CLASSES);
    all.sort_by(|a, b| b.interval.low.total_cmp(&a.interval.low).then(a.classes.cmp(&b.classes)));
    Overlaps { median, pairs: all }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::appearance::{ClassImages, nearest_of_classes};
    use crate::numeric::Table;
    use crate::progress::NoProgress;

    #[test]
    fn classes_that_lie_among_each_other_overlap_whatever_their_sizes() {
        // The first two are the same places, 60 and 20 of them; the third is elsewhere.
        let sizes = [60usize, 20, 30];
        let mut images = 0;
        let classes = sizes.map(|size| {
            images += size;
            ClassImages { class: format!("{images}"), rows: images - size..images }
        });
        let subject =
            Subject { images: (0..110).collect(), classes: classes.to_vec(), ..Subject::default() };
        let noise = |at: u32| {
            let mixed = at.wrapping_mul(0x9e37_79b1);
            ((mixed ^ (mixed >> 15)).wrapping_mul(0x85eb_ca77) >> 8) as f32 / (1 << 24) as f32
        };
        let place = |at: u32| {
            let away = if at >= 80 { 9.0 } else { 0.0 };
            [noise(at) + away, noise(at + 500), noise(at + 900)]
        };
        let table = Table::of_rows((0..110).map(place));
        let nearest = nearest_of_classes(&table, &subject.starts(), &NoProgress).unwrap();
        let pairs = overlaps(&subject, &nearest).pairs;
        assert_eq!(pairs.len(), 1, "{pairs:?}");
        let pair = &pairs[0];
        assert_eq!(pair.classes, [0, 1]);
        assert!(pair.overlap > 0.7 && pair.interval.low <= pair.overlap, "{pair:?}");
        assert!(pair.examples.len() == EXAMPLES && pair.examples.iter().all(|row| *row < 80));
    }
}
