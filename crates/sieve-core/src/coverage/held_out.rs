//! Held-out images that are unlike anything in training: a score on them says how a model guesses, not what it learned.

use statrs::distribution::{Binomial, DiscreteCDF};

use crate::appearance::{Subject, nearest_among};
use crate::duplicates::DuplicateReport;
use crate::numeric::Table;

/// The share of training images that are nearer to another one than the distance from which an image is unlike them.
pub const USUAL: f64 = 0.99;
/// Training images of a class from which it is said what is usual among them.
const LEAST_TRAINING: usize = 20;

/// The held-out images of one class and split that are unlike anything in training, more than chance explains.
#[derive(Clone, Debug, PartialEq)]
pub struct Unseen {
    /// The number of the class.
    pub class: usize,
    /// The split.
    pub split: String,
    /// Its images of that class.
    pub of: u64,
    /// Those that are unlike, the most unlike first.
    pub images: Vec<UnseenImage>,
}

/// A held-out image unlike anything in training.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct UnseenImage {
    /// Its place in [`Subject::images`].
    pub row: usize,
    /// The place of the training image of its class that is nearest.
    pub nearest: usize,
    /// Its distance over the one that 99% of training images stay below.
    pub ratio: f64,
}

/// Compares held-out images with the training images of their class.
pub fn unseen(
    subject: &Subject,
    found: &DuplicateReport<'_>,
    table: &Table,
    training: &str,
    chance: f64,
) -> Vec<Unseen> {
    let split = |row: usize| found.images[subject.images[row] as usize].record.split();
    let mut all = Vec::new();
    let mut tests = 0.0f64;
    for (class, images) in subject.classes.iter().enumerate() {
        let train: Vec<usize> =
            images.rows.clone().filter(|&row| split(row) == Some(training)).collect();
        if train.len() < LEAST_TRAINING {
            continue;
        }
        let mut apart: Vec<f32> =
            nearest_among(table, &train, &train).into_iter().map(|(far, _)| far).collect();
        apart.sort_by(f32::total_cmp);
        let usual = apart[((apart.len() as f64 * USUAL).ceil() as usize).clamp(1, apart.len()) - 1];
        let mut splits: Vec<&str> = images.rows.clone().filter_map(split).collect();
        splits.sort_unstable();
        splits.dedup();
        for held_out in splits.into_iter().filter(|split| *split != training) {
            let own: Vec<usize> =
                images.rows.clone().filter(|&row| split(row) == Some(held_out)).collect();
            let compared = nearest_among(table, &own, &train);
            let mut unlike: Vec<UnseenImage> = own
                .iter()
                .zip(compared)
                .filter(|(_, (far, _))| *far > usual)
                .map(|(&row, (far, nearest))| UnseenImage {
                    row,
                    nearest,
                    ratio: f64::from(far) / f64::from(usual.max(1e-9)),
                })
                .collect();
            unlike.sort_by(|a, b| b.ratio.total_cmp(&a.ratio).then(a.row.cmp(&b.row)));
            tests += 1.0;
            all.push(Unseen {
                class,
                split: held_out.to_owned(),
                of: own.len() as u64,
                images: unlike,
            });
        }
    }
    // One in a hundred is unlike where splits are drawn at random, and one more where that hundredth is estimated low.
    all.retain(|one| {
        let many = one.images.len() as u64;
        let by_chance = Binomial::new(2.0 * (1.0 - USUAL), one.of);
        many > 0 && by_chance.is_ok_and(|all| all.sf(many - 1) < chance / tests)
    });
    all
}
