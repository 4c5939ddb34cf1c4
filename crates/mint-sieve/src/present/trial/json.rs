//! `trial` for programs.

use serde::Serialize;
use sieve_core::confusion::{Confused, Share};
use sieve_core::files::{RelPath, shown_name};
use sieve_core::statistics::Interval;
use sieve_core::trial::{ClassCurve, Judgement, More, SHARES, short_of};

use super::TrialReport;
use crate::present::{ReadingSettings, envelope};

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    epochs: u64,
    short_epochs: u64,
    seeds: u64,
    seed: u64,
    side_px: usize,
    reach: &'static str,
}

#[derive(Serialize)]
struct Body<'a> {
    training_images: usize,
    training_available: u64,
    held_out_split: Option<&'a str>,
    held_out_images: usize,
    dependent: u64,
    leaked: u64,
    left_out_classes: &'a [String],
    classes: &'a [String],
    majority: Option<f64>,
    policies: Vec<PolicyBody<'a>>,
    views: Vec<ViewBody<'a>>,
    curve: Option<CurveBody<'a>>,
    confused: Vec<ConfusedBody<'a>>,
    misclassified: Vec<MisclassifiedBody<'a>>,
    out_of_fold: Option<String>,
    sheet: Option<String>,
}

#[derive(Serialize)]
struct PolicyBody<'a> {
    policy: &'a str,
    accuracy: Share,
    short_accuracy: Share,
    comparison: Option<ComparisonBody>,
}

#[derive(Serialize)]
struct ComparisonBody {
    difference: f64,
    interval: Interval,
    short_difference: f64,
    short_interval: Interval,
    loss_left: f64,
    judgement: &'static str,
}

#[derive(Serialize)]
struct ViewBody<'a> {
    view: &'static str,
    accuracy: Share,
    gained: Option<f64>,
    recall: Vec<RecallBody<'a>>,
}

#[derive(Serialize)]
struct CurveBody<'a> {
    shares: [f64; 3],
    all: ClassCurveBody,
    classes: Vec<ClassBody<'a>>,
}

#[derive(Serialize)]
struct RecallBody<'a> {
    class: &'a str,
    recall: Option<Share>,
}

#[derive(Serialize)]
struct ClassBody<'a> {
    class: &'a str,
    curve: Option<ClassCurveBody>,
}

#[derive(Serialize)]
struct ClassCurveBody {
    images: usize,
    reached: [f64; 3],
    gain: f64,
    interval: Interval,
    more_images: &'static str,
}

#[derive(Serialize)]
struct ConfusedBody<'a> {
    class: &'a str,
    predicted: &'a str,
    images: u64,
}

#[derive(Serialize)]
struct MisclassifiedBody<'a> {
    path: &'a RelPath,
    class: &'a str,
    predicted: &'a str,
    score: f64,
}

fn judged(judgement: Judgement) -> &'static str {
    match judgement {
        Judgement::Better => "better",
        Judgement::Worse => "worse",
        Judgement::CatchingUp => "catching-up",
        Judgement::NoDifference => "no-difference",
    }
}

fn curve_body(one: &ClassCurve) -> ClassCurveBody {
    ClassCurveBody {
        images: one.images,
        reached: one.reached,
        gain: one.gain.mean,
        interval: one.gain.interval,
        more_images: match one.more {
            More::Helps => "helps",
            More::LevelledOff => "levelled-off",
            More::Unclear => "unclear",
        },
    }
}

/// The whole answer.
pub fn json(answer: &TrialReport<'_>) -> String {
    let settings = Settings {
        reading: ReadingSettings::new(answer.config),
        epochs: answer.epochs,
        short_epochs: short_of(answer.epochs),
        seeds: answer.seeds,
        seed: answer.seed,
        side_px: sieve_core::learner::SIDE_PX,
        reach: answer.found.reach.name(),
    };
    let (sample, trained) = (answer.sample, answer.trained);
    let classes = sample.map_or(&[][..], |sample| &sample.classes);
    let name = |class: u32| classes[class as usize].as_str();
    let policies = trained.iter().flat_map(|trained| &trained.policies);
    let reliance = trained.and_then(|trained| trained.reliance.as_ref());
    let curve = trained.and_then(|trained| trained.curve.as_ref());
    let confused = trained.map_or(Vec::new(), |trained| trained.confusion.confused());
    let misclassified = answer.misclassified().into_iter().filter_map(|at| {
        let (pick, predicted) = (sample?.held_out[at], trained?.predicted[at]);
        Some(MisclassifiedBody {
            path: &answer.image(pick.image).record.path,
            class: name(pick.class),
            predicted: name(predicted.class),
            score: predicted.score,
        })
    });
    let body = Body {
        training_images: sample.map_or(0, |sample| sample.training.len()),
        training_available: sample.map_or(0, |sample| sample.available),
        held_out_split: sample.map(|sample| sample.held_out_split.as_str()),
        held_out_images: sample.map_or(0, |sample| sample.held_out.len()),
        dependent: sample.map_or(0, |sample| sample.dependent),
        leaked: sample.map_or(0, |sample| sample.leaked),
        left_out_classes: sample.map_or(&[], |sample| &sample.left_out),
        classes,
        majority: trained.and_then(|trained| Some(trained.confusion.majority()?.1.share)),
        policies: policies
            .map(|one| PolicyBody {
                policy: &one.name,
                accuracy: one.accuracy[0],
                short_accuracy: one.accuracy[1],
                comparison: one.comparison.as_ref().map(|comparison| ComparisonBody {
                    difference: comparison.full.mean,
                    interval: comparison.full.interval,
                    short_difference: comparison.short.mean,
                    short_interval: comparison.short.interval,
                    loss_left: comparison.loss_left,
                    judgement: judged(comparison.judgement),
                }),
            })
            .collect(),
        views: reliance
            .iter()
            .flat_map(|reliance| &reliance.views)
            .map(|one| ViewBody {
                view: one.view.name(),
                accuracy: one.accuracy,
                gained: one.gained,
                recall: classes
                    .iter()
                    .zip(&one.recall)
                    .map(|(class, &recall)| RecallBody { class, recall })
                    .collect(),
            })
            .collect(),
        curve: curve.map(|curve| CurveBody {
            shares: SHARES,
            all: curve_body(&curve.all),
            classes: classes
                .iter()
                .zip(&curve.classes)
                .map(|(class, one)| ClassBody { class, curve: one.as_ref().map(curve_body) })
                .collect(),
        }),
        confused: confused
            .iter()
            .map(|&Confused { class, predicted, images }| ConfusedBody {
                class: name(class),
                predicted: name(predicted),
                images,
            })
            .collect(),
        misclassified: misclassified.collect(),
        out_of_fold: answer.out_of_fold.map(|(_, file)| shown_name(file.as_os_str())),
        sheet: answer.sheet.map(|file| shown_name(file.as_os_str())),
    };
    envelope("trial", settings, body)
}
