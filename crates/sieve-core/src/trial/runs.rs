//! Runs of a trial: each on one thread, several at a time, and none of them twice.

use rayon::prelude::*;

use super::frames::{Images, RunFrames};
use super::sample::Sample;
use super::view::View;
use crate::Error;
use crate::augment::Policy;
use crate::duplicates::DuplicateReport;
use crate::learner::{Lesson, Outcome, train};
use crate::measuring::{Digest, Thumbnail};
use crate::progress::Progress;

/// Changes whenever the learner or its frames do: what was kept of earlier ones is then not used.
const LEARNER_VERSION: u32 = 1;

/// What one run trains on.
#[derive(Clone, Copy, Debug)]
pub struct Course<'a> {
    /// The policy; none for no augmentation.
    pub policy: Option<&'a Policy>,
    /// What of the images is seen.
    pub view: View,
    /// The share of the training images of each class, above 0 and at most 1.
    pub share: f64,
    /// Times that each image is shown.
    pub epochs: u64,
    /// The seed.
    pub seed: u64,
}

/// Keeps finished runs.
pub trait RunCache: Sync {
    /// What came of a run before; not believed unchecked.
    fn known(&self, run: Digest) -> Option<Outcome>;
    /// Keeps what came of a run; a failure to is no error.
    fn keep(&self, run: Digest, outcome: &Outcome);
}

/// Keeps nothing.
pub struct NoRuns;

impl RunCache for NoRuns {
    fn known(&self, _run: Digest) -> Option<Outcome> {
        None
    }
    fn keep(&self, _run: Digest, _outcome: &Outcome) {}
}

/// A sample with its frames.
pub struct Trial<'a> {
    sample: &'a Sample,
    images: Images,
    content: Digest,
}

impl<'a> Trial<'a> {
    /// Draws the frames of a sample, all of whose images have thumbnails.
    pub fn new(
        sample: &'a Sample,
        found: &DuplicateReport<'_>,
        thumbnails: &[Option<Thumbnail>],
    ) -> Self {
        let images = Images::new(found, thumbnails, &sample.training, &sample.held_out);
        let mut hasher = blake3::Hasher::new();
        hasher.update(b"mint-sieve trial").update(&LEARNER_VERSION.to_le_bytes());
        images.hash(&mut hasher);
        Trial { sample, images, content: Digest(hasher.finalize().into()) }
    }

    /// The sample.
    pub fn sample(&self) -> &'a Sample {
        self.sample
    }

    /// Runs all courses, in any order on all threads; what `cache` knows is not run again. Each outcome is kept as soon as it
    /// is there. `progress` is advanced by images shown, as [`images_shown`] counts them.
    ///
    /// # Errors
    ///
    /// When `progress` asks to stop.
    pub fn run_all(
        &self,
        courses: &[Course<'_>],
        cache: &dyn RunCache,
        progress: &dyn Progress,
    ) -> Result<Vec<Outcome>, Error> {
        courses
            .par_iter()
            // The longest first would be better still; one at a time is what keeps two threads busy to the end.
            .with_max_len(1)
            .map(|course| {
                let name = self.name_of(course);
                let known = cache.known(name).filter(|outcome| self.is_whole(course, outcome));
                if let Some(outcome) = known {
                    progress.advance(images_shown(self.sample, course));
                    return Ok(outcome);
                }
                let outcome = self.run(course, progress)?;
                cache.keep(name, &outcome);
                Ok(outcome)
            })
            .collect()
    }

    fn run(&self, course: &Course<'_>, progress: &dyn Progress) -> Result<Outcome, Error> {
        let chosen = self.sample.part(course.share);
        let labels: Vec<u32> =
            chosen.iter().map(|&place| self.sample.training[place].class).collect();
        let frames = RunFrames::new(&self.images, chosen, course.policy, course.view, course.seed);
        let lesson = Lesson {
            labels: &labels,
            classes: self.sample.classes.len(),
            held_out: self.sample.held_out.len(),
            epochs: course.epochs,
            seed: course.seed,
        };
        train(&lesson, &frames, progress)
    }

    /// Whether what was kept can be of this run.
    fn is_whole(&self, course: &Course<'_>, outcome: &Outcome) -> bool {
        let classes = self.sample.classes.len();
        let is_share = |value: &f32| (0.0..=1.0).contains(value);
        outcome.losses.len() as u64 == course.epochs
            && outcome.losses.iter().all(|loss| loss.is_finite())
            && outcome.probabilities.len() == self.sample.held_out.len() * classes
            && outcome.probabilities.iter().all(is_share)
    }

    /// The name of a run: all that decides what comes of it.
    fn name_of(&self, course: &Course<'_>) -> Digest {
        let mut hasher = blake3::Hasher::new();
        hasher.update(&self.content.0).update(course.view.name().as_bytes());
        for number in [course.epochs, course.seed, course.share.to_bits()] {
            hasher.update(&number.to_le_bytes());
        }
        hasher.update(course.policy.map(Policy::description).unwrap_or_default().as_bytes());
        Digest(hasher.finalize().into())
    }
}

/// Images that a run shows, all epochs together.
pub fn images_shown(sample: &Sample, course: &Course<'_>) -> u64 {
    sample.part(course.share).len() as u64 * course.epochs
}

/// The short budget that belongs to a full one: a third. What looks worse there may only need more time.
pub fn short_of(epochs: u64) -> u64 {
    (epochs / 3).max(1)
}
