//! What a policy costs in processor time. Measured, so that it differs from run to run: asked for with `--cost` only.

use std::hint::black_box;
use std::time::Duration;

use sieve_core::augment::cost::Study;
use sieve_core::augment::{Draw, Occasion, Policy, SourcePyramid};
use sieve_core::collection::Collection;
use sieve_core::progress::Progress;
use sieve_core::reading::{self, ReadLimits};

use crate::failure::Failure;
use crate::machine::thread_time;
use crate::present::preview::ProcessorTime;
use crate::progress::TerminalProgress;

/// Images that are timed, one after the other on one thread.
const TIMED: usize = 32;
/// Passes over them, of which the shortest counts.
const PASSES: usize = 3;
/// Draws of each: fewer are lost in the noise of the clock.
const DRAWS: u64 = 4;

/// Times the policy on a few images.
pub fn measure(
    collection: &Collection,
    study: &Study<'_>,
    limits: &ReadLimits,
    progress: &TerminalProgress,
) -> Result<ProcessorTime, Failure> {
    let entries = &study.train[..study.train.len().min(TIMED)];
    progress.begin("timing the policy", Some(entries.len() as u64));
    let located: Vec<_> = entries.iter().map(|entry| entry.located()).collect();
    let read = collection.visit(&located, limits, progress, |at, bytes| {
        let bytes = bytes.ok()?;
        let begun = thread_time();
        let image = SourcePyramid::new(reading::decode(&bytes.bytes, limits).ok()?.pixels);
        // What the first draw prepares serves all others.
        black_box(Draw::NOTHING.apply(&image, study.policy));
        Some(Timed {
            path: entries[at].path.to_string(),
            class: entries[at].place.class().unwrap_or_default().to_owned(),
            image,
            first_frame: thread_time().saturating_sub(begun),
        })
    })?;
    let images: Vec<Timed> = read.into_iter().flatten().collect();
    let time = processor_time(study.policy, &images, study.seed, progress);
    progress.end();
    Ok(time)
}

/// A decoded image, and what it took to decode it and to draw its first frame.
pub struct Timed {
    pub path: String,
    pub class: String,
    pub image: SourcePyramid<'static>,
    pub first_frame: Duration,
}

/// What the policy takes on these images.
pub fn processor_time(
    policy: &Policy,
    images: &[Timed],
    seed: u64,
    progress: &TerminalProgress,
) -> ProcessorTime {
    let each = |total: Duration, count: usize| total.as_secs_f64() * 1e3 / count.max(1) as f64;
    let pass = |policy: &Policy| {
        let begun = thread_time();
        for Timed { path, class, image, .. } in images {
            for number in 0..DRAWS {
                let draw = policy.draw(&Occasion { seed, path, class, number });
                black_box(draw.apply(image, policy));
            }
        }
        each(thread_time().saturating_sub(begun), images.len() * DRAWS as usize)
    };
    // Whatever else the machine does only adds to a pass.
    let timed = |policy: &Policy| (0..PASSES).map(|_| pass(policy)).fold(f64::INFINITY, f64::min);
    // A policy without steps.
    let nothing = Policy { steps: Vec::new(), picks: Vec::new(), ..policy.clone() };
    let frame = timed(&nothing);
    let steps = (0..policy.steps.len()).map(|step| {
        progress.advance(1);
        // A step that happens every other time costs half.
        let alone = (timed(&policy.with_only(step)) - frame).max(0.0);
        alone * policy.chance_of(step)
    });
    let step_ms: Vec<f64> = steps.collect();
    let first_frames = each(images.iter().map(|timed| timed.first_frame).sum(), images.len());
    ProcessorTime {
        images: images.len() as u64,
        decoding_ms: (first_frames - frame).max(0.0),
        frame_ms: frame,
        policy_ms: timed(policy),
        step_ms,
    }
}
