//! One run of training.

use rand::SeedableRng;
use rand::seq::SliceRandom;
use rand_chacha::ChaCha8Rng;

use super::network::{Activity, CHANNELS, FRAME_VALUES, Network};
use super::optimiser::Optimiser;
use crate::Error;
use crate::progress::Progress;

/// Images that are learned from at a time.
const BATCH: usize = 64;

/// Where frames come from: [`FRAME_VALUES`] values of 0 to 255 each, red first, then green, then blue.
pub trait Frames: Sync {
    /// Writes training image `image` as it is shown in `epoch`, from 0.
    fn training(&self, image: usize, epoch: u64, into: &mut [f32]);
    /// Writes training image `image` without augmentation.
    fn plain(&self, image: usize, into: &mut [f32]);
    /// Writes held-out image `image`.
    fn held_out(&self, image: usize, into: &mut [f32]);
}

/// What is learned, and for how long.
#[derive(Clone, Copy, Debug)]
pub struct Lesson<'a> {
    /// The number of the class of each training image.
    pub labels: &'a [u32],
    /// Classes.
    pub classes: usize,
    /// Held-out images that are predicted at the end.
    pub held_out: usize,
    /// Times that each training image is shown.
    pub epochs: u64,
    /// Decides the first weights and the order of the images.
    pub seed: u64,
}

/// What came of a run.
#[derive(Clone, Debug, PartialEq)]
pub struct Outcome {
    /// The mean loss of the training images in each epoch, in natural units, as they were shown.
    pub losses: Vec<f32>,
    /// For each held-out image the probability of each class, image by image.
    pub probabilities: Vec<f32>,
}

impl Outcome {
    /// The likeliest class of each held-out image, of equals the first.
    pub fn predictions(&self, classes: usize) -> Vec<u32> {
        let rows = self.probabilities.chunks_exact(classes);
        let best = |row: &[f32]| {
            let first = |best: usize, at: usize| if row[at] > row[best] { at } else { best };
            (1..classes).fold(0, first) as u32
        };
        rows.map(best).collect()
    }
}

/// Trains a network and lets it predict the held-out images. The same lesson and frames give the same outcome on any number
/// of threads: a run is one thread. Each image that is shown advances `progress`.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn train(
    lesson: &Lesson<'_>,
    frames: &dyn Frames,
    progress: &dyn Progress,
) -> Result<Outcome, Error> {
    let images = lesson.labels.len();
    let scale = Scale::of_training(frames, images);
    let mut random = ChaCha8Rng::seed_from_u64(lesson.seed);
    let mut network = Network::new(lesson.classes, &mut random);
    let batches = images.div_ceil(BATCH) as u64;
    let mut optimiser = Optimiser::new(network.weights.len(), batches * lesson.epochs);
    let mut slopes = vec![0.0; network.weights.len()];
    let mut activity = Activity::default();
    let mut batch = Vec::new();
    let mut order: Vec<usize> = (0..images).collect();
    let mut losses = Vec::new();
    for epoch in 0..lesson.epochs {
        order.shuffle(&mut random);
        let mut sum = 0.0;
        for shown in order.chunks(BATCH) {
            if progress.stopped() {
                return Err(Error::Interrupted);
            }
            batch.resize(shown.len() * FRAME_VALUES, 0.0);
            for (&image, frame) in shown.iter().zip(batch.chunks_exact_mut(FRAME_VALUES)) {
                frames.training(image, epoch, frame);
                scale.apply(frame);
            }
            network.forward(&batch, &mut activity);
            let mut output_slopes = std::mem::take(&mut activity.outputs);
            for (row, &image) in output_slopes.chunks_exact_mut(lesson.classes).zip(shown) {
                let label = lesson.labels[image] as usize;
                to_probabilities(row);
                sum -= f64::from(row[label].max(f32::MIN_POSITIVE)).ln();
                row[label] -= 1.0;
                row.iter_mut().for_each(|slope| *slope /= shown.len() as f32);
            }
            network.backward(&output_slopes, &mut activity, &mut slopes);
            activity.outputs = output_slopes;
            optimiser.step(&mut network.weights, &slopes);
            progress.advance(shown.len() as u64);
        }
        losses.push((sum / images.max(1) as f64) as f32);
    }
    let mut probabilities = Vec::with_capacity(lesson.held_out * lesson.classes);
    let all: Vec<usize> = (0..lesson.held_out).collect();
    for shown in all.chunks(BATCH) {
        batch.resize(shown.len() * FRAME_VALUES, 0.0);
        for (&image, frame) in shown.iter().zip(batch.chunks_exact_mut(FRAME_VALUES)) {
            frames.held_out(image, frame);
            scale.apply(frame);
        }
        network.forward(&batch, &mut activity);
        activity.outputs.chunks_exact_mut(lesson.classes).for_each(to_probabilities);
        probabilities.extend_from_slice(&activity.outputs);
    }
    Ok(Outcome { losses, probabilities })
}

/// The softmax of a row of outputs.
fn to_probabilities(row: &mut [f32]) {
    let most = row.iter().copied().fold(f32::MIN, f32::max);
    row.iter_mut().for_each(|value| *value = (*value - most).exp());
    let sum: f32 = row.iter().sum();
    row.iter_mut().for_each(|value| *value /= sum);
}

/// What brings each channel of the training images to a mean of 0 and a deviation of 1.
struct Scale {
    means: [f32; CHANNELS],
    factors: [f32; CHANNELS],
}

impl Scale {
    fn of_training(frames: &dyn Frames, images: usize) -> Self {
        let (mut sums, mut squares) = ([0.0f64; CHANNELS], [0.0f64; CHANNELS]);
        let mut frame = vec![0.0; FRAME_VALUES];
        for image in 0..images {
            frames.plain(image, &mut frame);
            for (channel, values) in frame.chunks_exact(FRAME_VALUES / CHANNELS).enumerate() {
                for &value in values {
                    sums[channel] += f64::from(value);
                    squares[channel] += f64::from(value) * f64::from(value);
                }
            }
        }
        let count = (images * FRAME_VALUES / CHANNELS).max(1) as f64;
        let means = sums.map(|sum| sum / count);
        let factors = std::array::from_fn(|channel| {
            let variance = squares[channel] / count - means[channel] * means[channel];
            // A channel of one value has nothing to scale.
            (1.0 / variance.max(1.0).sqrt()) as f32
        });
        Scale { means: means.map(|mean| mean as f32), factors }
    }

    fn apply(&self, frame: &mut [f32]) {
        for (channel, values) in frame.chunks_exact_mut(FRAME_VALUES / CHANNELS).enumerate() {
            let (mean, factor) = (self.means[channel], self.factors[channel]);
            values.iter_mut().for_each(|value| *value = (*value - mean) * factor);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::progress::NoProgress;
    use std::sync::atomic::{AtomicU64, Ordering};

    /// Frames of one level each: bright ones are class 1. Training shows them as dark as asked for.
    struct Levels {
        darkened: f32,
    }

    impl Levels {
        fn write(image: usize, into: &mut [f32]) {
            let level = if image.is_multiple_of(2) { 60.0 } else { 190.0 } + (image % 7) as f32;
            into.fill(level);
        }
    }

    impl Frames for Levels {
        fn training(&self, image: usize, _epoch: u64, into: &mut [f32]) {
            Self::write(image, into);
            into.iter_mut().for_each(|value| *value *= self.darkened);
        }
        fn plain(&self, image: usize, into: &mut [f32]) {
            Self::write(image, into);
        }
        fn held_out(&self, image: usize, into: &mut [f32]) {
            Self::write(image + 3, into);
        }
    }

    /// Counts the images that are shown, and stops at a limit.
    struct Counting {
        shown: AtomicU64,
        most: u64,
    }

    impl Progress for Counting {
        fn begin(&self, _what: &'static str, _total: Option<u64>) {}
        fn advance(&self, steps: u64) {
            self.shown.fetch_add(steps, Ordering::Relaxed);
        }
        fn stopped(&self) -> bool {
            self.shown.load(Ordering::Relaxed) >= self.most
        }
    }

    const LABELS: [u32; 20] = [0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1];

    fn lesson(epochs: u64, seed: u64) -> Lesson<'static> {
        Lesson { labels: &LABELS, classes: 2, held_out: 9, epochs, seed }
    }

    #[test]
    fn a_run_learns_its_lesson_counts_what_it_shows_and_stops_when_asked() {
        let counting = Counting { shown: AtomicU64::new(0), most: u64::MAX };
        let outcome = train(&lesson(8, 1), &Levels { darkened: 1.0 }, &counting).unwrap();
        assert_eq!(counting.shown.into_inner(), 8 * 20);
        assert_eq!(outcome.predictions(2), [1, 0, 1, 0, 1, 0, 1, 0, 1]);
        assert_eq!((outcome.losses.len(), outcome.probabilities.len()), (8, 18));
        assert!(outcome.losses[7] < outcome.losses[0] / 2.0, "{:?}", outcome.losses);
        for row in outcome.probabilities.chunks_exact(2) {
            assert!((row[0] + row[1] - 1.0).abs() < 1e-5);
        }
        // The same seed gives the same run, another one another.
        let again = |seed| train(&lesson(8, seed), &Levels { darkened: 1.0 }, &NoProgress).unwrap();
        assert_eq!(again(1), outcome);
        assert_ne!(again(2), outcome);
        let stopping = Counting { shown: AtomicU64::new(0), most: 40 };
        let stopped = train(&lesson(8, 1), &Levels { darkened: 1.0 }, &stopping);
        assert!(matches!(stopped, Err(Error::Interrupted)));
        assert_eq!(stopping.shown.into_inner(), 40);
    }

    #[test]
    fn what_only_training_sees_makes_held_out_images_strange() {
        // All training frames are black: there is nothing to tell the classes by.
        let blind = train(&lesson(8, 1), &Levels { darkened: 0.0 }, &NoProgress).unwrap();
        assert!(blind.losses.iter().all(|loss| *loss > 0.6), "{:?}", blind.losses);
    }

    #[test]
    fn of_equal_probabilities_the_first_class_is_predicted() {
        let outcome =
            Outcome { losses: vec![], probabilities: vec![0.4, 0.4, 0.2, 0.1, 0.45, 0.45] };
        assert_eq!(outcome.predictions(3), [0, 1]);
        let mut row = [1000.0, 999.0, -1000.0];
        to_probabilities(&mut row);
        assert!((row[0] - 0.731_06).abs() < 1e-4 && row[2] == 0.0, "{row:?}");
    }
}
