//! `leakage --format json`. The fields are a contract: see docs/formats.md.

use serde::Serialize;
use sieve_core::balance::ASSUMED_ACCURACY;
use sieve_core::finding::Finding;
use sieve_core::leakage::{Drift, IndexMismatch, SplitPairSummary};
use sieve_core::suppression::Suppressed;

use super::Leaks;
use crate::present::envelope;

#[derive(Serialize)]
struct Decided<'a, S: Serialize> {
    #[serde(flatten)]
    judging: S,
    protect: &'a [String],
}

#[derive(Serialize)]
struct Body<'a> {
    root: String,
    splits: Vec<SplitCount<'a>>,
    pairs: Vec<Pair<'a>>,
    split_pairs: Vec<SplitPairBody<'a>>,
    removals: Vec<RemovalBody<'a>>,
    remaining_pairs: usize,
    missing_classes: Vec<Missing<'a>>,
    class_index_mismatches: Vec<Mismatch<'a>>,
    drift: Vec<DriftBody<'a>>,
    order: Option<Order>,
    findings: &'a [Finding],
    suppressed: &'a [Suppressed],
}

#[derive(Serialize)]
struct SplitCount<'a> {
    split: &'a str,
    images: u64,
}

#[derive(Serialize)]
struct Pair<'a> {
    path_a: &'a str,
    split_a: Option<&'a str>,
    class_a: Option<&'a str>,
    path_b: &'a str,
    split_b: Option<&'a str>,
    class_b: Option<&'a str>,
    kind: &'static str,
    score: f32,
    direct: bool,
}

#[derive(Serialize)]
struct SplitPairBody<'a> {
    split: &'a str,
    other_split: &'a str,
    images: u64,
    matched: u64,
    copies: u64,
    share: f64,
    /// The most by which a score can be too high.
    max_inflation: f64,
    /// An accuracy measured on the split, and the least that it can be on images without a match.
    measured_accuracy: f64,
    accuracy_lower_bound: Option<f64>,
    kinds: Vec<KindCount>,
    classes: Vec<ClassCount<'a>>,
}

#[derive(Serialize)]
struct KindCount {
    kind: &'static str,
    images: u64,
}

#[derive(Serialize)]
struct ClassCount<'a> {
    class: &'a str,
    images: u64,
    matched: u64,
}

#[derive(Serialize)]
struct RemovalBody<'a> {
    path: &'a str,
    split: Option<&'a str>,
    class: Option<&'a str>,
    cause: &'a str,
    cause_split: Option<&'a str>,
    kind: &'static str,
}

#[derive(Serialize)]
struct Missing<'a> {
    class: &'a str,
    present: &'a [String],
    missing: &'a [String],
}

#[derive(Serialize)]
struct Mismatch<'a> {
    split: &'a str,
    other: &'a str,
    moved: Vec<Moved<'a>>,
    renumbered: Vec<Renumbered<'a>>,
}

#[derive(Serialize)]
struct Moved<'a> {
    class: &'a str,
    index: usize,
    other_index: usize,
}

#[derive(Serialize)]
struct Renumbered<'a> {
    class: &'a str,
    other_class: &'a str,
}

#[derive(Serialize)]
struct DriftBody<'a> {
    quantity: &'static str,
    statistic: f64,
    degrees: u64,
    p: f64,
    p_corrected: f64,
    effect: f64,
    significant: bool,
    total_variation: Vec<Variation<'a>>,
    medians: Vec<Median<'a>>,
    largest_difference: Option<Most<'a>>,
}

#[derive(Serialize)]
struct Variation<'a> {
    split: &'a str,
    other: &'a str,
    total_variation: f64,
}

#[derive(Serialize)]
struct Median<'a> {
    split: &'a str,
    median: f64,
}

#[derive(Serialize)]
struct Most<'a> {
    value: &'a str,
    high_split: &'a str,
    high_share: f64,
    low_split: &'a str,
    low_share: f64,
}

#[derive(Serialize)]
struct Order {
    runs: u64,
    expected_runs: f64,
    p: f64,
    p_corrected: f64,
    significant: bool,
}

/// The whole answer.
pub fn json(answer: &Leaks<'_>) -> String {
    let leakage = answer.leakage;
    let pairs = leakage.cross_split_pairs.iter().map(|pair| {
        let (a, b) = (answer.record(pair.a), answer.record(pair.b));
        Pair {
            path_a: a.path.as_str(),
            split_a: a.split(),
            class_a: a.class(),
            path_b: b.path.as_str(),
            split_b: b.split(),
            class_b: b.class(),
            kind: pair.reason.name(),
            score: pair.score,
            direct: pair.is_direct,
        }
    });
    let removals = leakage.removals.iter().map(|removal| {
        let (goes, stays) = (answer.record(removal.image), answer.record(removal.cause));
        RemovalBody {
            path: goes.path.as_str(),
            split: goes.split(),
            class: goes.class(),
            cause: stays.path.as_str(),
            cause_split: stays.split(),
            kind: removal.reason.name(),
        }
    });
    let missing = leakage.missing.iter().map(|class| Missing {
        class: &class.class,
        present: &class.present,
        missing: &class.missing,
    });
    let body = Body {
        root: answer.catalog.collection.name(),
        splits: leakage
            .splits
            .iter()
            .map(|(split, images)| SplitCount { split, images: *images })
            .collect(),
        pairs: pairs.collect(),
        split_pairs: leakage.split_pairs.iter().map(summary).collect(),
        removals: removals.collect(),
        remaining_pairs: leakage.kept,
        missing_classes: missing.collect(),
        class_index_mismatches: leakage.index.iter().map(mismatch).collect(),
        drift: leakage.drift.iter().map(drift).collect(),
        order: leakage.order.as_ref().map(|order| Order {
            runs: order.runs,
            expected_runs: order.expected,
            p: order.p,
            p_corrected: order.p_corrected,
            significant: order.is_cut,
        }),
        findings: answer.findings,
        suppressed: answer.suppressed,
    };
    envelope("leakage", Decided { judging: &answer.judging, protect: answer.protect }, body)
}

fn summary(summary: &SplitPairSummary) -> SplitPairBody<'_> {
    SplitPairBody {
        split: &summary.split,
        other_split: &summary.within,
        images: summary.images,
        matched: summary.matched,
        copies: summary.copies,
        share: summary.share(),
        max_inflation: summary.bound(),
        measured_accuracy: ASSUMED_ACCURACY,
        accuracy_lower_bound: summary.least_true(ASSUMED_ACCURACY),
        kinds: summary
            .by_reason
            .iter()
            .map(|&(reason, images)| KindCount { kind: reason.name(), images })
            .collect(),
        classes: summary
            .classes
            .iter()
            .map(|of| ClassCount { class: &of.class, images: of.images, matched: of.matched })
            .collect(),
    }
}

fn mismatch(one: &IndexMismatch) -> Mismatch<'_> {
    let moved = one.moved.iter().map(|(class, index, other_index)| Moved {
        class,
        index: *index,
        other_index: *other_index,
    });
    let renumbered =
        one.renumbered.iter().map(|(class, other_class)| Renumbered { class, other_class });
    Mismatch {
        split: &one.split,
        other: &one.other,
        moved: moved.collect(),
        renumbered: renumbered.collect(),
    }
}

fn drift(drift: &Drift) -> DriftBody<'_> {
    DriftBody {
        quantity: drift.quantity.name(),
        statistic: drift.statistic,
        degrees: drift.degrees,
        p: drift.p,
        p_corrected: drift.p_corrected,
        effect: drift.effect,
        significant: drift.is_found,
        total_variation: drift
            .pairs
            .iter()
            .map(|pair| Variation {
                split: &pair.splits[0],
                other: &pair.splits[1],
                total_variation: pair.total_variation,
            })
            .collect(),
        medians: drift
            .medians
            .iter()
            .map(|(split, median)| Median { split, median: *median })
            .collect(),
        largest_difference: drift.most.as_ref().map(|most| Most {
            value: &most.value,
            high_split: &most.high.0,
            high_share: most.high.1,
            low_split: &most.low.0,
            low_share: most.low.1,
        }),
    }
}
