//! Which prediction is of which image.

use std::collections::{BTreeMap, BTreeSet};

use super::table::PredictionTable;
use crate::collection::composed;
use crate::csv_escape::{path_of, unguarded};
use crate::duplicates::DuplicateReport;
use crate::files::RelPath;
use crate::measuring::Digest;

/// One prediction.
#[derive(Clone, Debug, PartialEq)]
pub struct Prediction {
    /// The number of the image in [`DuplicateReport::images`].
    pub image: u32,
    /// The number of its class in [`Matched::classes`].
    pub class: u32,
    /// The number of the class that was predicted.
    pub predicted: u32,
    /// How sure the model was, 0 to 1.
    pub score: Option<f64>,
    /// The score of each class; empty where they are not given.
    pub scores: Vec<f32>,
}

/// Predictions with their images, and what could not be matched.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Matched {
    /// The classes, in the order of their names.
    pub classes: Vec<String>,
    /// The predictions, in the order of the numbers of their images.
    pub predictions: Vec<Prediction>,
    /// What does not fit.
    pub unmatched: Unmatched,
}

/// What does not fit between predictions and images.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Unmatched {
    /// Rows about no image of the collection, by what they name.
    pub unknown: Vec<String>,
    /// Images that several rows are about; none of these is used.
    pub repeated: Vec<RelPath>,
    /// Images with a class in the splits that were predicted, about which there is no row.
    pub missing: Vec<RelPath>,
    /// Predicted images without a class.
    pub unlabelled: Vec<RelPath>,
    /// Rows whose prediction cannot be used: what they name, and why.
    pub unusable: Vec<(String, String)>,
}

/// The classes of the numbers in `class_index`, or of columns that are named by numbers.
pub type ClassNumbers = Vec<String>;

/// What a table of predictions lacks.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Unmatchable {
    /// Nothing says which image a row is about.
    #[error("it has no column \"path\" or \"digest\"")]
    NoImage,
    /// Nothing says what is predicted.
    #[error("it has no column \"predicted\" or \"class_index\", and no scores of classes")]
    NoPrediction,
    /// Predictions are numbers.
    #[error("its predictions are numbers of classes, and no class index says which these are")]
    NoClassIndex,
    /// Some classes have scores and others have none.
    #[error("it has columns of scores for {known} classes, but none for {lacking:?}")]
    NoScores {
        /// Classes with a column.
        known: usize,
        /// The first class without one.
        lacking: String,
    },
}

/// The columns that mean something.
struct Columns {
    path: Option<usize>,
    digest: Option<usize>,
    predicted: Option<usize>,
    class_index: Option<usize>,
    score: Option<usize>,
    /// One for each class, in the order of the classes; empty unless every class has one.
    classes: Vec<usize>,
}

/// Matches a table with the images of `found`. `numbers` are the classes of a class index, in its order.
///
/// # Errors
///
/// What the table lacks.
pub fn matched(
    table: &PredictionTable,
    found: &DuplicateReport<'_>,
    numbers: Option<&ClassNumbers>,
) -> Result<Matched, Unmatchable> {
    let known = found.images.iter().filter_map(|image| image.record.class().map(str::to_owned));
    // A model may know classes of which no image is left.
    let classes: BTreeSet<String> = known.chain(numbers.into_iter().flatten().cloned()).collect();
    let classes: Vec<String> = classes.into_iter().collect();
    let columns = columns(table, &classes, numbers)?;
    let number_of = |class: &str| {
        classes.binary_search_by(|known| known.as_str().cmp(class)).ok().map(|at| at as u32)
    };
    let mut by_path: BTreeMap<&RelPath, u32> = BTreeMap::new();
    let mut by_digest: BTreeMap<Digest, Vec<u32>> = BTreeMap::new();
    for (number, image) in (0u32..).zip(&found.images) {
        by_path.insert(&image.record.path, number);
        by_digest.entry(image.measured.digest).or_default().push(number);
    }
    let mut unmatched = Unmatched::default();
    let mut rows: BTreeMap<u32, Vec<usize>> = BTreeMap::new();
    for (at, row) in table.rows.iter().enumerate() {
        let images = match (columns.path, columns.digest) {
            (Some(path), _) => {
                let number = by_path.get(&RelPath::new(&path_of(&row[path])));
                number.map(|&number| vec![number])
            }
            (None, Some(digest)) => {
                let digest = Digest::from_hex(row[digest].trim());
                digest.and_then(|digest| by_digest.get(&digest).cloned())
            }
            (None, None) => None,
        };
        match images {
            None => unmatched.unknown.push(named(row, &columns)),
            Some(images) => images.iter().for_each(|&one| rows.entry(one).or_default().push(at)),
        }
    }
    let mut predictions = Vec::new();
    let mut splits: BTreeSet<Option<&str>> = BTreeSet::new();
    for (&image, rows) in &rows {
        let record = found.images[image as usize].record;
        splits.insert(record.split());
        let &[row] = &rows[..] else {
            unmatched.repeated.push(record.path.clone());
            continue;
        };
        let row = &table.rows[row];
        let Some(class) = record.class().and_then(number_of) else {
            unmatched.unlabelled.push(record.path.clone());
            continue;
        };
        match prediction(row, &columns, &classes, numbers, &number_of) {
            Ok((predicted, score, scores)) => {
                predictions.push(Prediction { image, class, predicted, score, scores });
            }
            Err(why) => unmatched.unusable.push((named(row, &columns), why)),
        }
    }
    let missing = (0u32..).zip(&found.images).filter(|(number, image)| {
        image.record.class().is_some()
            && splits.contains(&image.record.split())
            && !rows.contains_key(number)
    });
    unmatched.missing = missing.map(|(_, image)| image.record.path.clone()).collect();
    Ok(Matched { classes, predictions, unmatched })
}

/// What a row is about, as it is written.
fn named(row: &[String], columns: &Columns) -> String {
    columns.path.or(columns.digest).map_or(String::new(), |at| row[at].clone())
}

fn columns(
    table: &PredictionTable,
    classes: &[String],
    numbers: Option<&ClassNumbers>,
) -> Result<Columns, Unmatchable> {
    let column = |name: &str| table.column(name);
    let (path, digest) = (column("path"), column("digest"));
    if path.is_none() && digest.is_none() {
        return Err(Unmatchable::NoImage);
    }
    let fixed = ["path", "digest", "class", "predicted", "class_index", "score", "split"];
    let by_name: BTreeMap<String, usize> = table
        .head
        .iter()
        .enumerate()
        .filter(|(_, name)| !fixed.contains(&name.trim()))
        .map(|(at, name)| (composed(unguarded(name)).into_owned(), at))
        .collect();
    // A class may begin or end with a space, and so may a cell of a head that people typed.
    let trimmed: BTreeMap<&str, usize> =
        by_name.iter().map(|(name, &at)| (name.trim(), at)).collect();
    let of_class = |class: &String| {
        let number = numbers.and_then(|numbers| numbers.iter().position(|known| known == class));
        let is_typed = |class: &String| trimmed.get(class.as_str()).copied();
        let exact = by_name.get(class).copied();
        exact.or_else(|| is_typed(class)).or_else(|| is_typed(&number?.to_string()))
    };
    let scored: Vec<Option<usize>> = classes.iter().map(of_class).collect();
    let known = scored.iter().flatten().count();
    if known > 0 && known < classes.len() {
        let lacks = classes.iter().zip(&scored).find(|(_, column)| column.is_none());
        let lacking = lacks.map_or(String::new(), |(class, _)| class.clone());
        return Err(Unmatchable::NoScores { known, lacking });
    }
    let columns = Columns {
        path,
        digest,
        predicted: column("predicted"),
        class_index: column("class_index"),
        score: column("score"),
        classes: scored.into_iter().flatten().collect(),
    };
    match (columns.predicted, columns.class_index) {
        (None, None) if columns.classes.is_empty() => Err(Unmatchable::NoPrediction),
        (None, Some(_)) if numbers.is_none() => Err(Unmatchable::NoClassIndex),
        _ => Ok(columns),
    }
}

/// What a row predicts: the class, the score, and the scores of all classes.
fn prediction(
    row: &[String],
    columns: &Columns,
    classes: &[String],
    numbers: Option<&ClassNumbers>,
    number_of: &dyn Fn(&str) -> Option<u32>,
) -> Result<(u32, Option<f64>, Vec<f32>), String> {
    let score_of = |text: &str| -> Result<f64, String> {
        let score: Option<f64> = text.trim().parse().ok();
        score
            .filter(|score| (0.0..=1.0).contains(score))
            .ok_or_else(|| format!("the score {text:?} is no number from 0 to 1"))
    };
    let scores: Vec<f32> = columns
        .classes
        .iter()
        .map(|&at| score_of(&row[at]).map(|score| score as f32))
        .collect::<Result<_, _>>()?;
    let predicted = match (columns.predicted, columns.class_index) {
        (Some(at), _) => {
            let name = composed(unguarded(&row[at])).into_owned();
            let of_number = || name.parse::<usize>().ok().and_then(|at| numbers?.get(at).cloned());
            number_of(&name)
                .or_else(|| number_of(&of_number()?))
                .ok_or_else(|| format!("there is no class {name:?}"))?
        }
        (None, Some(at)) => {
            let text = row[at].trim();
            let number: Option<usize> = text.parse().ok();
            let class = number.and_then(|number| numbers?.get(number));
            class
                .and_then(|class| number_of(class))
                .ok_or_else(|| format!("the class index has no number {text:?}"))?
        }
        (None, None) => {
            let first = |best: usize, at: usize| if scores[at] > scores[best] { at } else { best };
            (1..classes.len()).fold(0, first) as u32
        }
    };
    let score = match columns.score.filter(|&at| !row[at].trim().is_empty()) {
        Some(at) => Some(score_of(&row[at])?),
        None => scores.get(predicted as usize).map(|&score| f64::from(score)),
    };
    Ok((predicted, score, scores))
}
