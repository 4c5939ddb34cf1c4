//! Labels that the model doubts: images whose own class scores below what is usual for it, while another class reaches what is
//! usual there (after Northcutt, Jiang and Chuang, Confident learning, 2021).

use super::matching::{Matched, Prediction};
use crate::statistics::wilson;

/// An image whose label is doubtful.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Doubtful {
    /// Its place in [`Matched::predictions`].
    pub row: usize,
    /// The class that it seems to be of.
    pub proposed: u32,
    /// The score of that class less that of its own: the higher, the more doubtful.
    pub margin: f64,
}

/// Labels that are doubtful, and how many are wrong.
#[derive(Clone, Debug, PartialEq)]
pub struct DoubtfulLabels {
    /// The most doubtful first.
    pub labels: Vec<Doubtful>,
    /// For each prediction the highest score of another class less that of its own.
    pub margins: Vec<f64>,
    /// How many labels are wrong: between these numbers; none where there are too few predictions to say.
    pub wrong: Option<(u64, u64)>,
}

/// Predictions in the most confident quarter, from which it is estimated how many labels are wrong: of fewer nothing can be said.
const LEAST: usize = 20;

/// Ranks doubtful labels; none where scores of all classes are missing.
///
/// How many are wrong is estimated where the model is most sure. A wrong label contradicts a sure prediction as often as an
/// unsure one, while errors of the model get rare as it gets sure. The upper bound takes all contradictions of the most
/// confident quarter for wrong labels. The lower bound leaves out as many as that quarter has fewer than the next one, since what is still
/// falling is the model's error.
pub fn doubtful_labels(matched: &Matched) -> Option<DoubtfulLabels> {
    let predictions = &matched.predictions;
    if predictions.is_empty() || predictions.iter().any(|one| one.scores.is_empty()) {
        return None;
    }
    let classes = matched.classes.len();
    let (mut sums, mut counts) = (vec![0.0f64; classes], vec![0u64; classes]);
    for one in predictions {
        sums[one.class as usize] += f64::from(one.scores[one.class as usize]);
        counts[one.class as usize] += 1;
    }
    let usual: Vec<f64> =
        sums.iter().zip(&counts).map(|(sum, &count)| sum / count.max(1) as f64).collect();
    let mut labels = Vec::new();
    let mut margins = Vec::with_capacity(predictions.len());
    for (row, one) in predictions.iter().enumerate() {
        let score = |class: usize| f64::from(one.scores[class]);
        let own = one.class as usize;
        let others = || (0..classes).filter(|&class| class != own);
        let best = others().map(score).fold(0.0, f64::max);
        margins.push(best - score(own));
        let reaching = others().filter(|&class| counts[class] > 0 && score(class) >= usual[class]);
        let proposed = reaching.max_by(|&a, &b| score(a).total_cmp(&score(b)).then(b.cmp(&a)));
        if let Some(proposed) = proposed.filter(|_| score(own) < usual[own]) {
            let margin = score(proposed) - score(own);
            labels.push(Doubtful { row, proposed: proposed as u32, margin });
        }
    }
    labels.sort_by(|a, b| b.margin.total_cmp(&a.margin).then(a.row.cmp(&b.row)));
    Some(DoubtfulLabels { labels, margins, wrong: wrong(predictions) })
}

/// Between which numbers the count of wrong labels lies.
fn wrong(predictions: &[Prediction]) -> Option<(u64, u64)> {
    let sure = |one: &Prediction| one.scores.iter().copied().fold(0.0, f32::max);
    let mut order: Vec<&Prediction> = predictions.iter().collect();
    order.sort_by(|a, b| sure(b).total_cmp(&sure(a)).then(a.image.cmp(&b.image)));
    let quarter = order.len() / 4;
    let all = predictions.len() as f64;
    if quarter < LEAST {
        return None;
    }
    let rate = |rows: &[&Prediction]| {
        let differs = |one: &&&Prediction| {
            one.scores[one.class as usize] < one.scores.iter().copied().fold(0.0, f32::max)
        };
        rows.iter().filter(differs).count() as f64 / rows.len() as f64
    };
    let (first, second) = (rate(&order[..quarter]), rate(&order[quarter..2 * quarter]));
    let high = wilson(first, quarter as u64).map_or(1.0, |interval| interval.high);
    let settled = (first - (second - first).max(0.0)).max(0.0);
    let low = wilson(settled, quarter as u64).map_or(0.0, |interval| interval.low);
    Some(((low * all).floor() as u64, (high * all).ceil() as u64))
}
