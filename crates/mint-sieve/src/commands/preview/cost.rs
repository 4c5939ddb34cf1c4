//! What a policy costs in processor time. Measured, so that it differs from run to run: asked for with `--cost` only.

use std::hint::black_box;
use std::time::{Duration, Instant};

use sieve_core::augment::cost::Study;
use sieve_core::augment::{Draw, Occasion, Policy, Prepared};
use sieve_core::collection::{Collection, Entry};
use sieve_core::progress::Progress;
use sieve_core::reading::{self, ReadLimits};

use crate::failure::Failure;
use crate::present::preview::ProcessorTime;
use crate::progress::TerminalProgress;

/// Pictures that are timed, one after the other on one thread.
const TIMED: usize = 32;
/// Draws of each: fewer are lost in the noise of the clock.
const DRAWS: u64 = 4;

/// Times the policy on a few pictures.
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
        let begun = Instant::now();
        let image = reading::decode(&bytes.bytes, limits).ok()?;
        let decoding = begun.elapsed();
        Some((entries[at], Prepared::new(&image.pixels), decoding))
    })?;
    let images: Vec<(&Entry, Prepared, Duration)> = read.into_iter().flatten().collect();
    let each = |total: Duration, count: usize| total.as_secs_f64() * 1e3 / count.max(1) as f64;
    let timed = |policy: &Policy| {
        let begun = Instant::now();
        for (entry, image, _) in &images {
            let path = entry.path.to_string();
            let class = entry.place.class().unwrap_or_default();
            for number in 0..DRAWS {
                let draw = policy.draw(&Occasion { seed: study.seed, path: &path, class, number });
                black_box(draw.apply(image, policy));
            }
        }
        each(begun.elapsed(), images.len() * DRAWS as usize)
    };
    let begun = Instant::now();
    images.iter().for_each(|(_, image, _)| drop(black_box(Draw::NOTHING.apply(image, study.policy))));
    let frame = each(begun.elapsed(), images.len());
    let steps = (0..study.policy.steps.len()).map(|step| {
        progress.advance(1);
        // A step that happens every other time costs half.
        let alone = (timed(&study.policy.with_only(step)) - frame).max(0.0);
        alone * study.policy.chance_of(step)
    });
    let steps: Vec<f64> = steps.collect();
    let time = ProcessorTime {
        images: images.len() as u64,
        decoding_ms: each(images.iter().map(|(_, _, decoding)| *decoding).sum(), images.len()),
        frame_ms: frame,
        policy_ms: timed(study.policy),
        step_ms: steps,
    };
    progress.end();
    Ok(time)
}
