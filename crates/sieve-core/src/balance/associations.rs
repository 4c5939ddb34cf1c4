//! Do classes go together with facts beside the label: formats, sizes, cameras, days, folders, light?

use std::collections::HashSet;

use serde::Serialize;

use super::labelled;
use crate::attributes::{Fact, Measure, OTHERS, banded, tallied};
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::limits::FindingLimits;
use crate::statistics::{AssociationTest, Contingency, holm};

/// How the classes go together with one fact.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Association {
    /// The name of the fact, or of the measure, whose values are bands of it.
    pub fact: &'static str,
    /// Whether it is a measure of the image: that may be content, too.
    #[serde(skip)]
    pub is_look: bool,
    /// Its values with the number of independent images that have each, most frequent first. Those of fewer
    /// than 5 images are one, at the end.
    #[serde(skip)]
    pub values: Vec<(String, u64)>,
    /// Classes against these values.
    pub test: AssociationTest,
    /// The chance of so strong a tie, corrected for the number of facts.
    pub p_corrected: f64,
    /// The counts that are not 0, class by class.
    pub cells: Vec<Cell>,
    /// For each class with at least [`LEAST`] images the value by which it differs most, the
    /// largest difference first.
    pub residuals: Vec<Residual>,
}

/// How many images of a class have one value.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Cell {
    /// The class.
    pub class: String,
    /// The value.
    pub value: String,
    /// Independent images.
    pub images: u64,
}

/// A value that one class has more often than all others together.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Residual {
    /// The class.
    pub class: String,
    /// The value.
    pub value: String,
    /// The share of the class that has it, 0 to 1.
    pub share: f64,
    /// The share of all other images that have it, 0 to 1.
    pub share_elsewhere: f64,
    /// The chance of such a difference, corrected for all classes and values of all facts.
    pub p_corrected: f64,
    /// Whether the difference is beyond the limit, and no chance.
    pub stands_out: bool,
}

/// Images of a class below which it is not said to differ.
const LEAST: u64 = 8;

pub(super) fn associations(
    classes: &[String],
    found: &DuplicateReport<'_>,
    units: &IndependentGroups,
    limits: &FindingLimits,
) -> Vec<Association> {
    // Of copies and burst frames in one class the first stands for all.
    let mut known: HashSet<(u32, &str)> = HashSet::new();
    let numbers: Vec<(usize, &str)> = labelled(found)
        .filter(|&(number, class)| known.insert((units.unit(number), class)))
        .collect();
    let row_of = |class: &str| classes.binary_search_by(|known| known.as_str().cmp(class));
    let rows: Vec<Option<usize>> = numbers.iter().map(|(_, class)| row_of(class).ok()).collect();
    let mut associations: Vec<Association> = Vec::new();
    let images = || numbers.iter().map(|&(number, _)| &found.images[number]);
    let facts = Fact::ALL.into_iter().map(|fact| {
        let values = images().map(|one| fact.value(one.record, one.measured));
        (fact.name(), false, values.collect::<Vec<_>>())
    });
    let looks = Measure::LOOKS.into_iter().map(|look| {
        let values = images().filter_map(|one| look.value(one.record, one.measured));
        (look.name(), true, banded(&values.collect::<Vec<_>>()))
    });
    for (fact, is_look, values) in facts.chain(looks) {
        let (values, places) = tallied(&values);
        let mut table = Contingency::new(classes.len(), values.len());
        for (row, &place) in rows.iter().zip(&places) {
            row.iter().for_each(|&row| table.add(row, place, 1));
        }
        let Some(test) = table.association() else { continue };
        let mut cells = Vec::new();
        for (row, class) in classes.iter().enumerate() {
            for (column, (value, _)) in values.iter().enumerate() {
                let images = table.at(row, column);
                if images > 0 {
                    cells.push(Cell { class: class.clone(), value: value.clone(), images });
                }
            }
        }
        let residuals = residuals(classes, &values, &table);
        associations.push(Association {
            fact,
            is_look,
            values,
            test,
            p_corrected: 1.0,
            cells,
            residuals,
        });
    }
    let corrected =
        holm(&associations.iter().map(|association| association.test.p).collect::<Vec<_>>());
    associations.iter_mut().zip(corrected).for_each(|(association, p)| association.p_corrected = p);
    let of_all = |associations: &[Association]| -> Vec<f64> {
        associations
            .iter()
            .flat_map(|association| association.residuals.iter().map(|one| one.p_corrected))
            .collect()
    };
    let mut corrected = holm(&of_all(&associations)).into_iter();
    for residual in associations.iter_mut().flat_map(|association| &mut association.residuals) {
        residual.p_corrected = corrected.next().unwrap_or(1.0);
        let difference = residual.share - residual.share_elsewhere;
        residual.stands_out = difference >= limits.residual && residual.p_corrected < limits.chance;
    }
    associations
}

/// For each class the value that is most over-represented in it; chances not corrected yet for the
/// number of classes, but for that of values.
fn residuals(classes: &[String], values: &[(String, u64)], table: &Contingency) -> Vec<Residual> {
    let (in_class, with_value) = (table.rows(), table.columns());
    let total: u64 = in_class.iter().sum();
    let mut residuals: Vec<Residual> = Vec::new();
    for (row, class) in classes.iter().enumerate() {
        let (here, elsewhere) = (in_class[row], total - in_class[row]);
        if here < LEAST || elsewhere == 0 {
            continue;
        }
        let shares = |column: usize| {
            let images = table.at(row, column);
            let others = with_value[column] - images;
            (images as f64 / here as f64, others as f64 / elsewhere as f64)
        };
        let gap = |column: usize| shares(column).0 - shares(column).1;
        // The first of equals. What rare values are counted as together is no value by which a class is reported.
        let columns = (0..values.len()).rev().filter(|&column| values[column].0 != OTHERS);
        let Some(column) = columns.max_by(|&a, &b| gap(a).total_cmp(&gap(b))) else { continue };
        let images = table.at(row, column);
        let mut two = Contingency::new(2, 2);
        two.add(0, 0, images);
        two.add(0, 1, here - images);
        two.add(1, 0, with_value[column] - images);
        two.add(1, 1, elsewhere - (with_value[column] - images));
        let Some(association) = two.association() else { continue };
        let (share, share_elsewhere) = shares(column);
        residuals.push(Residual {
            class: class.clone(),
            value: values[column].0.clone(),
            share,
            share_elsewhere,
            p_corrected: (association.p * values.len() as f64).min(1.0),
            stands_out: false,
        });
    }
    let gap = |one: &Residual| one.share - one.share_elsewhere;
    residuals.sort_by(|a, b| gap(b).total_cmp(&gap(a)));
    residuals
}
