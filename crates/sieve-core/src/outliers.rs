//! OUTLIERS: images unlike their class, as a ranked list of what to look at first.
//!
//! The list is a ranking, not a verdict: in trials with planted errors about 3 in 10 at its top were errors, the rest rare but
//! correct images (`scripts/bench-outliers.py`).

use serde::Serialize;

use crate::Error;
use crate::appearance::{Excluded, Ridge, Source, Subject, distances_between};
use crate::duplicates::DuplicateReport;
use crate::progress::Progress;

/// Independent images of a class from which it is said what is usual in it: of fewer, a few make up the class.
pub const LEAST_OF_CLASS: u64 = 8;
/// The share of images that are as unusual by one measure, from which that measure is given as the reason.
const UNUSUAL: f64 = 0.9;

/// Images unlike their class, the most unusual first.
#[derive(Clone, Debug, Default)]
pub struct Outliers {
    /// What was ranked.
    pub subject: Subject,
    /// One for each image of the subject.
    pub ranking: Vec<Outlier>,
    /// For each class of the subject the images that are most usual in it: places in [`Subject::images`].
    pub typical: Vec<Vec<usize>>,
}

/// An image and how unusual it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Outlier {
    /// Its place in [`Subject::images`].
    pub row: usize,
    /// The number of its class.
    pub class: u32,
    /// The mean of three ranks, each from 0 for the most usual image to 1 for the most unusual one.
    pub score: f64,
    /// The number of the other class that it is most like; none without another class.
    pub resembles: Option<u32>,
    /// What stands out.
    pub reason: Standout,
}

/// What stands out about an image.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Standout {
    /// It is far from its own class.
    FarFromClass,
    /// It is close to another class.
    CloseToOther,
    /// Both.
    Both,
}

impl Standout {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Standout::FarFromClass => "far-from-class",
            Standout::CloseToOther => "close-to-other",
            Standout::Both => "both",
        }
    }
}

impl Outliers {
    /// The classes that are left out.
    pub fn excluded(&self) -> &[Excluded] {
        &self.subject.excluded
    }
}

/// Usual images of each class that are named.
const TYPICAL: usize = 3;

/// Ranks the independent images of all classes with enough of them, by what `source` has for the images of `found`.
///
/// Three measures are turned into ranks and added: how far an image is from the nearest of its own class by thumbnail, over
/// what is usual in that class; how far it is from its own class against the nearest other one, by 32 principal components
/// of [`crate::appearance::numbers()`]; and how much a ridge classifier that has not seen it prefers another class. Of 22
/// variants that were tried this sum found most planted errors. Vectors take the place of thumbnails and numbers.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn outliers(
    found: &DuplicateReport<'_>,
    source: &Source<'_>,
    progress: &dyn Progress,
) -> Result<Outliers, Error> {
    let subject = source.retained(Subject::new(found, LEAST_OF_CLASS));
    if subject.images.is_empty() {
        return Ok(Outliers { subject, ..Outliers::default() });
    }
    progress.begin("comparing images with their class", Some(2 * subject.images.len() as u64));
    let space = source.space(&subject);
    let within = source.distances_within(&subject, &space, progress)?;
    let mut far = vec![0.0f64; within.len()];
    for class in &subject.classes {
        over_usual(&within[class.rows.clone()], &mut far[class.rows.clone()]);
    }
    let between = distances_between(&space.near, &subject.starts(), progress)?;
    let close: Vec<f64> = between
        .iter()
        .map(|one| if one.other > 0.0 { f64::from(one.own) / f64::from(one.other) } else { 1.0 })
        .collect();
    let class_of = subject.class_of();
    let ridge = Ridge::new(&space.learnt, &class_of, subject.classes.len());
    Ok(ranked(subject, &class_of, [&far, &close], &ridge))
}

/// Distances over the median of their class, which is what is usual in it.
fn over_usual(distances: &[f32], into: &mut [f64]) {
    let numbers = distances.iter().map(|&distance| f64::from(distance));
    let usual = crate::statistics::median(numbers.clone()).unwrap_or(0.0).max(1e-9);
    into.iter_mut().zip(numbers).for_each(|(into, distance)| *into = distance / usual);
}

/// Adds the ranks up.
fn ranked(subject: Subject, class_of: &[u32], measures: [&[f64]; 2], ridge: &Ridge) -> Outliers {
    let margins: Vec<Option<(f32, u32)>> =
        (0..class_of.len()).map(|row| ridge.margin(row, class_of[row])).collect();
    let far = ranks(measures[0]);
    // With one class there is nothing else to be like.
    let has_others = margins.iter().any(Option::is_some);
    let other = has_others.then(|| {
        let close = ranks(measures[1]);
        let preferred: Vec<f64> = margins
            .iter()
            .map(|margin| margin.map_or(0.0, |(margin, _)| -f64::from(margin)))
            .collect();
        (close, ranks(&preferred))
    });
    let mut ranking: Vec<Outlier> = (0..class_of.len())
        .map(|row| {
            let (score, other) = match &other {
                None => (far[row], 0.0),
                Some((close, preferred)) => (
                    (far[row] + close[row] + preferred[row]) / 3.0,
                    (close[row] + preferred[row]) / 2.0,
                ),
            };
            let reason = match (far[row] >= UNUSUAL, other >= UNUSUAL) {
                (true, true) => Standout::Both,
                (true, false) => Standout::FarFromClass,
                (false, true) => Standout::CloseToOther,
                (false, false) if far[row] >= other => Standout::FarFromClass,
                (false, false) => Standout::CloseToOther,
            };
            let resembles = margins[row].map(|(_, class)| class);
            Outlier { row, class: class_of[row], score, resembles, reason }
        })
        .collect();
    // Rows are in the order of classes and paths: ties keep it.
    ranking.sort_by(|a, b| b.score.total_cmp(&a.score).then(a.row.cmp(&b.row)));
    let mut typical = vec![Vec::new(); subject.classes.len()];
    for one in ranking.iter().rev() {
        let of_class: &mut Vec<usize> = &mut typical[one.class as usize];
        if of_class.len() < TYPICAL {
            of_class.push(one.row);
        }
    }
    Outliers { subject, ranking, typical }
}

/// The ranks of values, 0 for the least and 1 for the greatest; equal ones have the mean of theirs.
fn ranks(values: &[f64]) -> Vec<f64> {
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.sort_by(|&a, &b| values[a].total_cmp(&values[b]));
    let last = (values.len().max(2) - 1) as f64;
    let mut ranks = vec![0.0; values.len()];
    let mut start = 0;
    for equal in order.chunk_by(|&a, &b| values[a].total_cmp(&values[b]).is_eq()) {
        let mean = (2 * start + equal.len() - 1) as f64 / 2.0;
        equal.iter().for_each(|&at| ranks[at] = mean / last);
        start += equal.len();
    }
    ranks
}
