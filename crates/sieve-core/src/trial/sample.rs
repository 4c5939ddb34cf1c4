//! The images of a trial: independent ones, as many of each class as its share of the training images asks for.

use std::collections::{BTreeMap, BTreeSet};

use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::measuring::Thumbnail;
use crate::seeded_order::key;

/// Held-out images of a trial, at most: a share of one half is then known to two in a hundred.
const MOST_HELD_OUT: usize = 2000;

/// One image of a trial.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pick {
    /// Its number in [`DuplicateReport::images`].
    pub image: u32,
    /// The number of its class in [`Sample::classes`].
    pub class: u32,
}

/// The images of a trial.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Sample {
    /// The classes, in the order of their names.
    pub classes: Vec<String>,
    /// Training images: the classes one after another, each in random order.
    pub training: Vec<Pick>,
    /// Held-out images, in the order of their numbers.
    pub held_out: Vec<Pick>,
    /// The split that these are of.
    pub held_out_split: String,
    /// Independent training images that there are.
    pub available: u64,
    /// Training images that are left out since they are copies or burst frames of others, or of one declared group.
    pub dependent: u64,
    /// Held-out images that are left out since they depend on a training image or on each other.
    pub leaked: u64,
    /// Images of both splits that are left out since they have no thumbnail.
    pub unreadable: u64,
    /// Classes that are left out since they have fewer than two independent training images.
    pub left_out: Vec<String>,
}

/// Why there can be no trial.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unusable {
    /// There is no split of this name.
    NoTraining,
    /// There is nothing to measure on.
    NoHeldOut,
    /// Fewer than two classes have two independent training images.
    OneClass,
}

impl Sample {
    /// At most `most` images of the split `training`, and images of the first of `held_out` that there is.
    ///
    /// # Errors
    ///
    /// Why there can be no trial.
    pub fn of_splits(
        found: &DuplicateReport<'_>,
        thumbnails: &[Option<Thumbnail>],
        training: &str,
        held_out: &[&str],
        most: usize,
        seed: u64,
    ) -> Result<Self, Unusable> {
        let groups = IndependentGroups::with_groups(found);
        let has_split =
            |split: &str| found.images.iter().any(|image| image.record.split() == Some(split));
        if !has_split(training) {
            return Err(Unusable::NoTraining);
        }
        let held_out =
            *held_out.iter().find(|split| has_split(split)).ok_or(Unusable::NoHeldOut)?;
        let mut sample = Sample { held_out_split: held_out.to_owned(), ..Sample::default() };
        let mut classes: BTreeMap<&str, Vec<u32>> = BTreeMap::new();
        let mut trained = BTreeSet::new();
        for number in shuffled(found, seed) {
            let record = found.images[number as usize].record;
            let (Some(class), Some(split)) = (record.class(), record.split()) else { continue };
            if split != training {
                continue;
            }
            if thumbnails[number as usize].is_none() {
                sample.unreadable += 1;
            } else if trained.insert(groups.unit(number as usize)) {
                classes.entry(class).or_default().push(number);
            } else {
                sample.dependent += 1;
            }
        }
        sample.left_out = classes
            .iter()
            .filter(|(_, all)| all.len() < 2)
            .map(|(&class, _)| class.to_owned())
            .collect();
        classes.retain(|_, all| all.len() >= 2);
        if classes.len() < 2 {
            return Err(Unusable::OneClass);
        }
        let sizes: Vec<usize> = classes.values().map(Vec::len).collect();
        sample.available = sizes.iter().sum::<usize>() as u64;
        for ((number, images), count) in (0u32..).zip(classes.values()).zip(shares(&sizes, most)) {
            let picks = images[..count].iter().map(|&image| Pick { image, class: number });
            sample.training.extend(picks);
        }
        let number_of: BTreeMap<&str, u32> = classes.keys().copied().zip(0..).collect();
        let mut seen = BTreeSet::new();
        for number in shuffled(found, seed) {
            let record = found.images[number as usize].record;
            let class = record.class().and_then(|class| number_of.get(class));
            let (Some(&class), true) = (class, record.split() == Some(held_out)) else { continue };
            let unit = groups.unit(number as usize);
            if thumbnails[number as usize].is_none() {
                sample.unreadable += 1;
            } else if trained.contains(&unit) || !seen.insert(unit) {
                sample.leaked += 1;
            } else if sample.held_out.len() < MOST_HELD_OUT {
                sample.held_out.push(Pick { image: number, class });
            }
        }
        if sample.held_out.is_empty() {
            return Err(Unusable::NoHeldOut);
        }
        sample.held_out.sort_by_key(|pick| pick.image);
        sample.classes = classes.keys().map(|&class| class.to_owned()).collect();
        Ok(sample)
    }

    /// The number of the class of each held-out image.
    pub fn truth(&self) -> Vec<u32> {
        self.held_out.iter().map(|pick| pick.class).collect()
    }

    /// The places in [`Sample::training`] of a share of each class, at least one image of each.
    pub(super) fn part(&self, share: f64) -> Vec<usize> {
        let mut places = Vec::new();
        let mut start = 0;
        for class in self.training.chunk_by(|a, b| a.class == b.class) {
            let count = ((class.len() as f64 * share).round() as usize).clamp(1, class.len());
            places.extend(start..start + count);
            start += class.len();
        }
        places
    }
}

/// The numbers of all images in the random order of a seed.
pub(super) fn shuffled(found: &DuplicateReport<'_>, seed: u64) -> Vec<u32> {
    let mut order: Vec<(_, u32)> = (0u32..)
        .zip(&found.images)
        .map(|(number, image)| {
            let digest = image.record.image().map(|measured| measured.digest);
            (key(seed, digest.as_ref().map_or(&[], |digest| &digest.0[..])), number)
        })
        .collect();
    order.sort_unstable();
    order.into_iter().map(|(_, number)| number).collect()
}

/// How many of each of `sizes`, so that the whole is at most `most` and shares are kept; what is left over goes to the largest
/// remainders. At least two of each.
pub(super) fn shares(sizes: &[usize], most: usize) -> Vec<usize> {
    let all: usize = sizes.iter().sum();
    if all <= most {
        return sizes.to_vec();
    }
    let exact = |size: usize| size as f64 * most as f64 / all as f64;
    let mut counts: Vec<usize> =
        sizes.iter().map(|&size| (exact(size) as usize).max(2).min(size)).collect();
    // A class that has two instead of its share gets nothing that is left over.
    let is_short = |class: &usize| (counts[*class] as f64) < exact(sizes[*class]);
    let mut order: Vec<usize> = (0..sizes.len()).filter(is_short).collect();
    order.sort_by(|&a, &b| exact(sizes[b]).fract().total_cmp(&exact(sizes[a]).fract()));
    let given: usize = counts.iter().sum();
    for &class in order.iter().take(most.saturating_sub(given)) {
        counts[class] = (counts[class] + 1).min(sizes[class]);
    }
    counts
}
