//! `review` for programs.

use serde::Serialize;
use sieve_core::confusion::{ClassScore, Share};
use sieve_core::files::{RelPath, shown_name};
use sieve_core::review::{Bin, Case, Metrics, Neighbour, Unmatched};
use sieve_core::statistics::Interval;

use super::Review;
use crate::present::{ReadingSettings, envelope};

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    chance: f64,
    seed: u64,
    reach: &'static str,
    vectors: Option<String>,
}

#[derive(Serialize)]
struct Body<'a> {
    predictions: String,
    matched: usize,
    unmatched: UnmatchedBody<'a>,
    classes: &'a [String],
    scores: ScoresBody<'a>,
    independence: Option<IndependenceBody<'a>>,
    quadrants: QuadrantsBody<'a>,
    wrong: Vec<CaseBody<'a>>,
    factors: Vec<FactorBody<'a>>,
    doubtful: Option<DoubtfulBody<'a>>,
    against: Option<AgainstBody<'a>>,
    written: Vec<String>,
}

#[derive(Serialize)]
struct UnmatchedBody<'a> {
    unknown: &'a [String],
    repeated: &'a [RelPath],
    missing: &'a [RelPath],
    unlabelled: &'a [RelPath],
    unusable: Vec<UnusableBody<'a>>,
}

#[derive(Serialize)]
struct UnusableBody<'a> {
    row: &'a str,
    why: &'a str,
}

#[derive(Serialize)]
struct ScoresBody<'a> {
    images: u64,
    accuracy: Option<Share>,
    majority_class: Option<&'a str>,
    majority: Option<Share>,
    top_five: Option<Share>,
    calibration: Option<CalibrationBody>,
    classes: Vec<ClassBody<'a>>,
    confusion: Vec<CountBody<'a>>,
}

#[derive(Serialize)]
struct CalibrationBody {
    error: f64,
    bins: Vec<Bin>,
}

#[derive(Serialize)]
struct ClassBody<'a> {
    class: &'a str,
    images: u64,
    predicted: u64,
    correct: u64,
    precision: Option<Share>,
    recall: Option<Share>,
    f1: Option<Share>,
}

#[derive(Serialize)]
struct CountBody<'a> {
    class: &'a str,
    predicted: &'a str,
    images: u64,
}

#[derive(Serialize)]
struct IndependenceBody<'a> {
    training_images: u64,
    scores: ScoresBody<'a>,
    dependent: Option<Share>,
    difference: Option<f64>,
    interval: Option<Interval>,
}

#[derive(Serialize)]
struct QuadrantsBody<'a> {
    right_good: usize,
    right_doubtful: Vec<&'a RelPath>,
    wrong_good: Vec<&'a RelPath>,
    wrong_doubtful: Vec<&'a RelPath>,
    shortcut_classes: Vec<&'a str>,
}

#[derive(Serialize)]
struct CaseBody<'a> {
    path: &'a RelPath,
    class: &'a str,
    predicted: &'a str,
    score: Option<f64>,
    nearest_predicted: Option<NeighbourBody<'a>>,
    nearest_own: Option<NeighbourBody<'a>>,
    own_among_nearest: usize,
    nearest: usize,
    flags: Vec<&'static str>,
    suggestion: Option<&'static str>,
}

#[derive(Serialize)]
struct NeighbourBody<'a> {
    path: &'a RelPath,
    similarity: f32,
}

#[derive(Serialize)]
struct FactorBody<'a> {
    fact: &'a str,
    value: &'a str,
    wrong: u64,
    of: u64,
    wrong_elsewhere: u64,
    of_elsewhere: u64,
    p_corrected: f64,
    example: Option<&'a RelPath>,
}

#[derive(Serialize)]
struct DoubtfulBody<'a> {
    wrong_labels: Option<[u64; 2]>,
    labels: Vec<LabelBody<'a>>,
}

#[derive(Serialize)]
struct LabelBody<'a> {
    path: &'a RelPath,
    class: &'a str,
    proposed: &'a str,
    margin: f64,
}

#[derive(Serialize)]
struct AgainstBody<'a> {
    images: u64,
    both_right: u64,
    both_wrong: u64,
    improved: Vec<&'a RelPath>,
    worsened: Vec<&'a RelPath>,
    p: f64,
}

fn scores<'a>(answer: &Review<'a>, metrics: &Metrics) -> ScoresBody<'a> {
    let confusion = &metrics.confusion;
    let classes = 0..confusion.classes();
    let majority = confusion.majority();
    let class = |number: usize| answer.class(number as u32);
    ScoresBody {
        images: confusion.images(),
        accuracy: confusion.accuracy(),
        majority_class: majority.map(|(largest, _)| class(largest)),
        majority: majority.map(|(_, share)| share),
        top_five: metrics.top_five,
        calibration: metrics.calibration.as_ref().map(|calibration| CalibrationBody {
            error: calibration.error,
            bins: calibration.bins.to_vec(),
        }),
        classes: classes
            .clone()
            .map(|number| {
                let score = confusion.score(number);
                let ClassScore { images, predicted, correct, precision, recall, f1 } = score;
                ClassBody {
                    class: class(number),
                    images,
                    predicted,
                    correct,
                    precision,
                    recall,
                    f1,
                }
            })
            .collect(),
        confusion: classes
            .clone()
            .flat_map(|row| classes.clone().map(move |column| (row, column)))
            .map(|(row, column)| CountBody {
                class: class(row),
                predicted: class(column),
                images: confusion.count(row, column),
            })
            .filter(|one| one.images > 0)
            .collect(),
    }
}

/// The whole answer.
pub fn json(answer: &Review<'_>) -> String {
    let settings = Settings {
        reading: ReadingSettings::new(answer.config),
        chance: answer.chance,
        seed: answer.seed,
        reach: answer.found.reach.name(),
        vectors: answer.vectors.map(|file| shown_name(file.as_os_str())),
    };
    let path = |image: u32| &answer.image(image).record.path;
    let of_rows = |rows: &[usize]| -> Vec<_> {
        rows.iter().map(|&row| path(answer.prediction(row).image)).collect()
    };
    let of_images = |images: &[u32]| images.iter().map(|&image| path(image)).collect::<Vec<_>>();
    let near = |neighbour: Option<Neighbour>| {
        neighbour.map(|near| NeighbourBody { path: path(near.image), similarity: near.similarity })
    };
    let case = |case: &Case| {
        let one = answer.prediction(case.row);
        CaseBody {
            path: path(one.image),
            class: answer.class(one.class),
            predicted: answer.class(one.predicted),
            score: one.score,
            nearest_predicted: near(case.nearest_predicted),
            nearest_own: near(case.nearest_own),
            own_among_nearest: case.own_among_nearest,
            nearest: case.nearest,
            flags: case.flags.iter().map(|flag| flag.name()).collect(),
            suggestion: case.suggestion.map(|suggestion| suggestion.name()),
        }
    };
    let Unmatched { unknown, repeated, missing, unlabelled, unusable } = &answer.matched.unmatched;
    let body = Body {
        predictions: shown_name(answer.predictions.as_os_str()),
        matched: answer.matched.predictions.len(),
        unmatched: UnmatchedBody {
            unknown,
            repeated,
            missing,
            unlabelled,
            unusable: unusable.iter().map(|(row, why)| UnusableBody { row, why }).collect(),
        },
        classes: &answer.matched.classes,
        scores: scores(answer, answer.scores),
        independence: answer.independence.map(|one| IndependenceBody {
            training_images: one.training,
            scores: scores(answer, &one.independent),
            dependent: one.dependent,
            difference: one.difference.map(|(difference, _)| difference),
            interval: one.difference.map(|(_, interval)| interval),
        }),
        quadrants: QuadrantsBody {
            right_good: answer.quadrants.right.len(),
            right_doubtful: of_rows(&answer.quadrants.right_doubtful),
            wrong_good: of_rows(&answer.quadrants.wrong),
            wrong_doubtful: of_rows(&answer.quadrants.wrong_doubtful),
            shortcut_classes: answer.shortcuts.iter().map(String::as_str).collect(),
        },
        wrong: answer.wrong().into_iter().map(case).collect(),
        factors: answer
            .factors
            .iter()
            .map(|factor| FactorBody {
                fact: &factor.fact,
                value: &factor.value,
                wrong: factor.wrong,
                of: factor.of,
                wrong_elsewhere: factor.wrong_elsewhere,
                of_elsewhere: factor.of_elsewhere,
                p_corrected: factor.p_corrected,
                example: factor.example.map(path),
            })
            .collect(),
        doubtful: answer.doubtful.map(|doubtful| DoubtfulBody {
            wrong_labels: doubtful.wrong.map(|(low, high)| [low, high]),
            labels: doubtful
                .labels
                .iter()
                .map(|one| LabelBody {
                    path: path(answer.prediction(one.row).image),
                    class: answer.class(answer.prediction(one.row).class),
                    proposed: answer.class(one.proposed),
                    margin: one.margin,
                })
                .collect(),
        }),
        against: answer.against.as_ref().map(|against| AgainstBody {
            images: against.images,
            both_right: against.both_right,
            both_wrong: against.both_wrong,
            improved: of_images(&against.improved),
            worsened: of_images(&against.worsened),
            p: against.p,
        }),
        written: answer.written.iter().map(|file| shown_name(file.as_os_str())).collect(),
    };
    envelope("review", settings, body)
}
