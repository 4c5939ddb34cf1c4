//! The numbers that a training script needs.

use serde::Serialize;

use super::channels::ChannelStatistics;
use super::class_index::ClassIndex;
use crate::balance::effective_number;

/// The numbers of a pack, all of the split that is trained on.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Numbers {
    /// The split that is trained on.
    pub training_split: String,
    /// Its images.
    pub training_images: u64,
    /// Mean and deviation of each channel of what the model sees, red, green and blue, from 0 to 1; none where that is not
    /// known, since images are packed at their own sizes.
    pub channels: Option<ChannelStatistics>,
    /// How much each class weighs, in the order of the class index.
    pub class_weights: Vec<ClassWeight>,
    /// The beta of the effective numbers.
    pub beta: f64,
    /// Batches of an epoch.
    pub batches: Batches,
}

/// How much a class weighs in training.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct ClassWeight {
    /// Its number.
    pub class_index: usize,
    /// Its name.
    pub class: String,
    /// Its images that are trained on.
    pub images: u64,
    /// By inverse frequency: all images / (classes x images of the class); none without images.
    pub inverse_frequency: Option<f64>,
    /// By the effective number of images, with a sum over the classes of as many as there are classes (Cui et al.,
    /// Class-balanced loss based on effective number of samples, 2019); none without images.
    pub effective_number: Option<f64>,
}

/// The batches of an epoch.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Batches {
    /// Images of a batch.
    pub size: u64,
    /// Batches of an epoch that leaves out no image.
    pub steps_per_epoch: u64,
    /// Images of the last of them.
    pub last_batch: u64,
    /// Batches of an epoch that leaves out an incomplete last one.
    pub full_batches: u64,
}

impl Batches {
    /// The batches of `images`, `size` in each.
    pub fn new(images: u64, size: u64) -> Self {
        let rest = images % size;
        let last_batch = if rest == 0 { size.min(images) } else { rest };
        Batches {
            size,
            steps_per_epoch: images.div_ceil(size),
            last_batch,
            full_batches: images / size,
        }
    }
}

impl Numbers {
    /// The numbers of the split at place `training` of the index.
    pub fn new(
        index: &ClassIndex,
        training: usize,
        channels: Option<ChannelStatistics>,
        beta: f64,
        batch: u64,
    ) -> Self {
        let counts: Vec<u64> = index.classes.iter().map(|class| class.images[training]).collect();
        let filled = || counts.iter().copied().filter(|&images| images > 0);
        let (total, classes) = (filled().sum::<u64>(), filled().count() as f64);
        let inverses: f64 = filled().map(|images| 1.0 / effective_number(images, beta)).sum();
        let weight = |(class_index, &images): (usize, &u64)| ClassWeight {
            class_index,
            class: index.classes[class_index].class.clone(),
            images,
            inverse_frequency: (images > 0).then(|| total as f64 / (classes * images as f64)),
            effective_number: (images > 0)
                .then(|| classes / (effective_number(images, beta) * inverses)),
        };
        Numbers {
            training_split: index.splits[training].clone(),
            training_images: total,
            channels,
            class_weights: counts.iter().enumerate().map(weight).collect(),
            beta,
            batches: Batches::new(total, batch),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_and_batches_are_of_the_training_split() {
        let splits = ["train", "test"].map(str::to_owned);
        let images = [("bay", 0, 60u64), ("sage", 0, 20), ("sage", 1, 50)];
        let images = images
            .iter()
            .flat_map(|&(class, split, count)| (0..count).map(move |_| (class, split)));
        let index = ClassIndex::new(&splits, images, &["thyme".to_owned()]);
        let numbers = Numbers::new(&index, 0, None, 0.0, 32);
        let weights: Vec<(usize, u64, Option<f64>)> = numbers
            .class_weights
            .iter()
            .map(|one| (one.class_index, one.images, one.inverse_frequency))
            .collect();
        assert_eq!(weights, [(0, 0, None), (1, 60, Some(80.0 / 120.0)), (2, 20, Some(2.0))]);
        // Without a beta every class weighs the same; the sum is the number of classes with images.
        assert_eq!(numbers.class_weights[2].effective_number, Some(1.0));
        assert_eq!(
            numbers.batches,
            Batches { size: 32, steps_per_epoch: 3, last_batch: 16, full_batches: 2 }
        );
        assert_eq!(Batches::new(64, 32).last_batch, 32);
        assert_eq!(
            Batches::new(5, 32),
            Batches { size: 32, steps_per_epoch: 1, last_batch: 5, full_batches: 0 }
        );
    }
}
