//! `policy`: what a policy says, and a first one for a collection.

use std::time::Duration;

use sieve_core::augment::SourcePyramid;
use sieve_core::augment::cost::{Study, study, verdicts};
use sieve_core::augment::draft::{candidates, policy, settled};
use sieve_core::reading::Pixels;
use sieve_core::sampling;

use super::preview::cost::{Timed, processor_time};
use super::preview::{DRAFT_DRAWS, HELD_OUT, TRAIN, TRIED_ON, VALIDATION};
use super::{Answer, Output, collection as opening};
use crate::args::{PolicyAction, PolicyArgs, PolicyDraftArgs, PolicyFormat};
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::policy_file;
use crate::present::policy as present;
use crate::progress::TerminalProgress;
use crate::settings::SetLimits;
use crate::writing::NewFile;

/// Answers `policy`.
pub fn run(args: &PolicyArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    match &args.action {
        PolicyAction::Check(check) => {
            let policy = policy_file::read(&check.policy)?;
            let time = check.cost.then(|| {
                let images: Vec<Timed> = (0..8).map(made_up).collect();
                processor_time(&policy.policy, &images, 0, progress)
            });
            Ok(Answer::done(Output::People(present::checked(
                &policy,
                &check.policy,
                time.as_ref(),
            ))))
        }
        PolicyAction::Show(show) => {
            let policy = policy_file::read(&show.policy)?;
            Ok(Answer::done(Output::Document(match show.format {
                PolicyFormat::Text => present::toml(&policy.policy),
                PolicyFormat::Json => present::json(&policy),
            })))
        }
        PolicyAction::Draft(draft) => drafted(draft, progress),
    }
}

/// An image to time steps on: what they cost depends on its size, hardly on what it shows.
fn made_up(number: u32) -> Timed {
    let (width_px, height_px) = (500, 375);
    let values = 0..width_px * height_px * 3;
    let data = values.map(|at| ((at / 7) ^ (at / (width_px * 3) + number)) as u8).collect();
    Timed {
        path: number.to_string(),
        class: String::new(),
        image: SourcePyramid::new(Pixels { width_px, height_px, data }),
        first_frame: Duration::ZERO,
    }
}

fn drafted(args: &PolicyDraftArgs, progress: &TerminalProgress) -> Result<Answer, Failure> {
    let config = CollectionConfig::resolve(&args.collection.roots, &args.collection.reading)?;
    config.refuse_inside(&args.out)?;
    let limits = SetLimits::new(&config.settings, &[])?.values;
    let file = NewFile::create(&args.out)?;
    let collection = opening::listed(&config, &args.catalog, progress)?;
    let has = |name: &str| collection.splits.iter().any(|split| split == name);
    let train = sampling::shuffled(&collection, has(TRAIN).then_some(TRAIN), args.seed);
    let validation = sampling::shuffled(&collection, Some(VALIDATION), args.seed);
    let train = sampling::interleaved(&train, TRIED_ON);
    let held_out = sampling::interleaved(&validation, HELD_OUT);
    let read_limits = config.read_limits();
    let tried = |policy: &sieve_core::augment::Policy, draws| {
        let request = Study { policy, train: &train, held_out: &held_out, seed: args.seed, draws };
        study(&collection, &request, &read_limits, progress)
    };
    // First what images are like, then what the steps that follow from it do to them.
    let plain = tried(&policy(&[], args.size), 0)?;
    if plain.subjects.is_empty() {
        return Err(opening::without_images(&config, &collection));
    }
    let candidates = candidates(&plain.reference);
    let whole = policy(&candidates, args.size);
    let impact = tried(&whole, DRAFT_DRAWS)?;
    progress.end();
    let reported = verdicts(&whole, &impact, &limits, args.seed);
    let steps = settled(candidates, &reported, &impact);
    let draft = present::Draft {
        out: &args.out,
        seed: args.seed,
        config: &config,
        name: collection.name(),
        impact: &impact,
        steps: &steps,
        policy: policy(&steps, args.size),
    };
    file.write(present::draft_toml(&draft).as_bytes())?;
    Ok(Answer::done(Output::People(present::draft_text(&draft))))
}
