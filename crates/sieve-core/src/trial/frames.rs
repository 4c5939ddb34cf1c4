//! The frames that the learner sees: thumbnails, augmented by a policy as `preview` does it, in 32 x 32 pixels.

use super::sample::Pick;
use super::view::View;
use crate::augment::{Draw, Fill, Fit, Frame, Occasion, Policy, SourcePyramid};
use crate::duplicates::DuplicateReport;
use crate::learner::{Frames, SIDE_PX};
use crate::measuring::{LUMA_PX, Thumbnail};
use crate::ordering::picture;
use crate::reading::Pixels;

/// Thumbnails as images, once for all runs.
pub(super) struct Images {
    training: Vec<Source>,
    held_out: Vec<Source>,
}

struct Source {
    path: String,
    class: String,
    pixels: Pixels,
}

impl Images {
    /// Those of these images, all of which have a thumbnail.
    pub fn new(
        found: &DuplicateReport<'_>,
        thumbnails: &[Option<Thumbnail>],
        training: &[Pick],
        held_out: &[Pick],
    ) -> Self {
        let source = |pick: &Pick| {
            let record = found.images[pick.image as usize].record;
            let side = LUMA_PX as u32;
            let thumbnail = thumbnails[pick.image as usize].as_ref();
            let thumbnail = thumbnail.expect("images of a trial have thumbnails");
            Source {
                path: record.path.to_string(),
                class: record.class().unwrap_or_default().to_owned(),
                pixels: picture(thumbnail, side, side),
            }
        };
        let sources = |picks: &[Pick]| picks.iter().map(source).collect();
        Images { training: sources(training), held_out: sources(held_out) }
    }

    /// Everything that decides what a run on these images sees, for the name of what is kept of it.
    pub fn hash(&self, hasher: &mut blake3::Hasher) {
        for images in [&self.training, &self.held_out] {
            hasher.update(&(images.len() as u64).to_le_bytes());
            for image in images {
                for text in [&image.path, &image.class] {
                    hasher.update(&(text.len() as u64).to_le_bytes()).update(text.as_bytes());
                }
                hasher.update(&image.pixels.data);
            }
        }
    }
}

/// The frame of a trial.
fn frame() -> Frame {
    Frame::new(SIDE_PX as u32, SIDE_PX as u32, Fit::Stretch)
}

/// What one run sees.
pub(super) struct RunFrames<'a> {
    images: &'a Images,
    /// Places of its training images.
    chosen: Vec<usize>,
    policy: Option<Policy>,
    plain: Policy,
    view: View,
    seed: u64,
}

impl<'a> RunFrames<'a> {
    pub fn new(
        images: &'a Images,
        chosen: Vec<usize>,
        policy: Option<&Policy>,
        view: View,
        seed: u64,
    ) -> Self {
        let policy = policy.map(|policy| policy.reframed(frame()));
        let plain = Policy {
            steps: Vec::new(),
            picks: Vec::new(),
            ..match &policy {
                Some(policy) => policy.clone(),
                None => Policy::of_frame(frame(), Fill::Edge),
            }
        };
        RunFrames { images, chosen, policy, plain, view, seed }
    }

    fn write(&self, pixels: &Pixels, into: &mut [f32]) {
        for (at, pixel) in pixels.data.as_chunks::<3>().0.iter().enumerate() {
            (0..3).for_each(|c| into[c * SIDE_PX * SIDE_PX + at] = f32::from(pixel[c]));
        }
        self.view.apply(into);
    }

    fn framed(&self, source: &Source, into: &mut [f32]) {
        let image = SourcePyramid::new(&source.pixels);
        self.write(&Draw::NOTHING.apply(&image, &self.plain).pixels, into);
    }
}

impl Frames for RunFrames<'_> {
    fn training(&self, image: usize, epoch: u64, into: &mut [f32]) {
        let source = &self.images.training[self.chosen[image]];
        let Some(policy) = &self.policy else { return self.framed(source, into) };
        let occasion =
            Occasion { seed: self.seed, path: &source.path, class: &source.class, number: epoch };
        let image = SourcePyramid::new(&source.pixels);
        self.write(&policy.draw(&occasion).apply(&image, policy).pixels, into);
    }

    fn plain(&self, image: usize, into: &mut [f32]) {
        self.framed(&self.images.training[self.chosen[image]], into);
    }

    fn held_out(&self, image: usize, into: &mut [f32]) {
        self.framed(&self.images.held_out[image], into);
    }
}
