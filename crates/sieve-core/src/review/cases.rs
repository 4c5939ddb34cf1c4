//! Predictions one by one: what each image resembles among the training images, what is known of it, and what to do.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;

use super::matching::{Matched, Prediction};
use crate::duplicates::DuplicateReport;
use crate::finding::{Code, Finding};
use crate::independent::IndependentGroups;
use crate::numeric::Table;
use crate::outliers::Standout;

/// Training images that an image is held against.
const NEAREST: usize = 5;
/// Findings about a single image that make it a bad example of its class.
const POOR: [Code; 5] = [Code::Blank, Code::TooDark, Code::WashedOut, Code::SoftFocus, Code::Tiny];

/// A training image that an image resembles.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Neighbour {
    /// Its number in [`DuplicateReport::images`].
    pub image: u32,
    /// The cosine of both, -1 to 1.
    pub similarity: f32,
}

/// What is known of an image.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Flag {
    /// A copy of it is under another class.
    LabelConflict,
    /// It has a copy.
    Duplicate,
    /// It is one of several frames of a moment.
    Burst,
    /// It is among the most unusual images of the collection.
    Outlier,
    /// The audit reports it.
    Reported(Code),
}

impl Flag {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Flag::LabelConflict => "label-conflict",
            Flag::Duplicate => "duplicate",
            Flag::Burst => "burst",
            Flag::Outlier => "outlier",
            Flag::Reported(code) => code.as_str(),
        }
    }
}

/// What to do about a wrong prediction.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Suggestion {
    /// The label may be wrong.
    Relabel,
    /// The image may be no good example of its class.
    Drop,
    /// The image may be right and rare.
    Collect,
}

impl Suggestion {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Suggestion::Relabel => "relabel?",
            Suggestion::Drop => "drop?",
            Suggestion::Collect => "collect more like this",
        }
    }
}

/// A prediction and what stands behind it.
#[derive(Clone, Debug, PartialEq)]
pub struct Case {
    /// Its place in [`Matched::predictions`].
    pub row: usize,
    /// The training image of the predicted class that it resembles most.
    pub nearest_predicted: Option<Neighbour>,
    /// The training image of its own class that it resembles most.
    pub nearest_own: Option<Neighbour>,
    /// Of its five nearest training images those of its own class.
    pub own_among_nearest: usize,
    /// Those five, or as many as there are.
    pub nearest: usize,
    /// What is known of it, sorted.
    pub flags: Vec<Flag>,
    /// Whether the reason is doubtful: more of the nearest training images are of another class than of its own, or the class
    /// has a shortcut.
    pub is_doubtful: bool,
    /// What to do; none for a right prediction.
    pub suggestion: Option<Suggestion>,
}

/// Right and wrong predictions, for good and doubtful reasons: places in [`Matched::predictions`].
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Quadrants {
    /// Right, and no class has more of the nearest training images than its own.
    pub right: Vec<usize>,
    /// Right, but another class has more of them, or its class has a shortcut.
    pub right_doubtful: Vec<usize>,
    /// Wrong, although no class has more of them than its own.
    pub wrong: Vec<usize>,
    /// Wrong, and another class has more of them.
    pub wrong_doubtful: Vec<usize>,
}

/// What else is known.
#[derive(Clone, Copy, Debug)]
pub struct Known<'a> {
    /// A row of unit length for each image that has one, and which it is.
    pub similar: (&'a Table, &'a [Option<u32>]),
    /// The split that was trained on; none where all other images were.
    pub training: Option<&'a str>,
    /// Findings of the audit.
    pub findings: &'a [Finding],
    /// The most unusual images, and what stands out about each.
    pub outliers: &'a BTreeMap<u32, Standout>,
    /// Classes that are known by a shortcut.
    pub shortcuts: &'a BTreeSet<String>,
    /// Places of predictions whose labels are doubtful.
    pub doubtful: &'a BTreeSet<usize>,
}

/// A case for each prediction, in their order, and how they divide into right and wrong.
pub fn cases(
    matched: &Matched,
    found: &DuplicateReport<'_>,
    known: &Known<'_>,
) -> (Vec<Case>, Quadrants) {
    let groups = IndependentGroups::with_groups(found);
    let flags = flags(found, known);
    let (table, row_of) = known.similar;
    let class_of = |image: u32| {
        let class = found.images[image as usize].record.class()?;
        matched.classes.binary_search_by(|known| known.as_str().cmp(class)).ok().map(|at| at as u32)
    };
    let pool: Vec<(u32, u32, u32)> = (0..found.images.len() as u32)
        .filter(|&image| {
            let split = found.images[image as usize].record.split();
            known.training.is_none_or(|training| split == Some(training))
        })
        .filter_map(|image| Some((image, row_of[image as usize]?, class_of(image)?)))
        .collect();
    let of = |(row, one): (usize, &Prediction)| {
        let unit = groups.unit(one.image as usize);
        let (mut predicted, mut own): (Option<Neighbour>, Option<Neighbour>) = (None, None);
        let mut nearest: Vec<(f32, u32)> = Vec::new();
        if let Some(here) = row_of[one.image as usize] {
            let here = table.row(here as usize);
            for &(image, there, class) in &pool {
                // What depends on the image says nothing of what it resembles.
                if groups.unit(image as usize) == unit {
                    continue;
                }
                let there = table.row(there as usize);
                let similarity = product(here, there);
                let closest = |best: &mut Option<Neighbour>| {
                    if best.is_none_or(|best| similarity > best.similarity) {
                        *best = Some(Neighbour { image, similarity });
                    }
                };
                if class == one.predicted {
                    closest(&mut predicted);
                }
                if class == one.class {
                    closest(&mut own);
                }
                if nearest.len() < NEAREST || nearest[NEAREST - 1].0 < similarity {
                    let at = nearest.partition_point(|(other, _)| *other >= similarity);
                    nearest.insert(at, (similarity, class));
                    nearest.truncate(NEAREST);
                }
            }
        }
        let own_among = nearest.iter().filter(|(_, class)| *class == one.class).count();
        let has_rival = nearest.iter().any(|(_, class)| {
            nearest.iter().filter(|(_, other)| other == class).count() > own_among
        });
        let predicted_among = nearest.iter().filter(|(_, class)| *class == one.predicted).count();
        let has_shortcut = known.shortcuts.contains(&matched.classes[one.class as usize]);
        let is_right = one.class == one.predicted;
        let flags = flags.get(&one.image).cloned().unwrap_or_default();
        let is_poor = |flag: &Flag| matches!(flag, Flag::Reported(code) if POOR.contains(code));
        // Unlike its class and like no other: it may be a stray.
        let is_stray = known.outliers.get(&one.image) == Some(&Standout::FarFromClass);
        let suggestion = match () {
            () if is_right => None,
            () if flags.contains(&Flag::LabelConflict) => Some(Suggestion::Relabel),
            // Of an image that shows little, or something else, no class is right.
            () if is_stray || flags.iter().any(is_poor) => Some(Suggestion::Drop),
            () if known.doubtful.contains(&row) => Some(Suggestion::Relabel),
            () if own_among == 0 && 2 * predicted_among > nearest.len() => {
                Some(Suggestion::Relabel)
            }
            () => Some(Suggestion::Collect),
        };
        Case {
            row,
            nearest_predicted: predicted,
            nearest_own: own,
            own_among_nearest: own_among,
            nearest: nearest.len(),
            flags,
            is_doubtful: has_rival || (is_right && has_shortcut),
            suggestion,
        }
    };
    let cases: Vec<Case> = matched.predictions.par_iter().enumerate().map(of).collect();
    let mut quadrants = Quadrants::default();
    for (case, one) in cases.iter().zip(&matched.predictions) {
        let list = match (one.class == one.predicted, case.is_doubtful) {
            (true, false) => &mut quadrants.right,
            (true, true) => &mut quadrants.right_doubtful,
            (false, false) => &mut quadrants.wrong,
            (false, true) => &mut quadrants.wrong_doubtful,
        };
        list.push(case.row);
    }
    (cases, quadrants)
}

/// The sum of products, eight at a time.
fn product(a: &[f32], b: &[f32]) -> f32 {
    let ((a, a_rest), (b, b_rest)) = (a.as_chunks::<8>(), b.as_chunks::<8>());
    let mut sums = [0.0f32; 8];
    for (a, b) in a.iter().zip(b) {
        (0..8).for_each(|lane| sums[lane] += a[lane] * b[lane]);
    }
    let rest = a_rest.iter().zip(b_rest).map(|(a, b)| a * b);
    sums.iter().sum::<f32>() + rest.sum::<f32>()
}

/// What is known of each image of which anything is.
fn flags(found: &DuplicateReport<'_>, known: &Known<'_>) -> BTreeMap<u32, Vec<Flag>> {
    let mut flags: BTreeMap<u32, BTreeSet<Flag>> = BTreeMap::new();
    let mut put = |image: u32, flag: Flag| {
        flags.entry(image).or_default().insert(flag);
    };
    for group in found.groups.iter().filter(|group| group.kind.is_dependent()) {
        for member in &group.members {
            let is_copy = group.kind.is_duplicate();
            put(member.image, if is_copy { Flag::Duplicate } else { Flag::Burst });
            if is_copy && group.label_conflict {
                put(member.image, Flag::LabelConflict);
            }
        }
    }
    known.outliers.keys().for_each(|&image| put(image, Flag::Outlier));
    let by_path: BTreeMap<&str, u32> = (0u32..)
        .zip(&found.images)
        .map(|(number, image)| (image.record.path.as_str(), number))
        .collect();
    for finding in known.findings.iter().filter(|finding| POOR.contains(&finding.code)) {
        let images = finding.images.iter().filter_map(|path| by_path.get(path.as_str()));
        images.for_each(|&image| put(image, Flag::Reported(finding.code)));
    }
    flags.into_iter().map(|(image, flags)| (image, flags.into_iter().collect())).collect()
}
