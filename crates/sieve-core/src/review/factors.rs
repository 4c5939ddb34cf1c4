//! What wrong predictions have in common: facts of the file, light, background, and groups by appearance.

use std::collections::BTreeSet;

use super::matching::{Matched, Prediction};
use crate::attributes::{Fact, Measure, OTHERS, UNKNOWN, banded, tallied};
use crate::coverage::grouped;
use crate::duplicates::DuplicateReport;
use crate::independent::IndependentGroups;
use crate::measuring::Thumbnail;
use crate::numeric::Table;
use crate::shortcuts::border;
use crate::statistics::holm;
use statrs::distribution::{DiscreteCDF, Hypergeometric};

/// Groups by background, and by appearance, at most.
const MOST_GROUPS: usize = 8;
/// Images for each group squared, as for the kinds of a class.
const IMAGES_PER_GROUP: f64 = 10.0;

/// A value that predictions are wrong for more often than elsewhere.
#[derive(Clone, Debug, PartialEq)]
pub struct Factor {
    /// What it is a value of.
    pub fact: String,
    /// The value.
    pub value: String,
    /// Wrong predictions among the images with that value.
    pub wrong: u64,
    /// Images with that value.
    pub of: u64,
    /// The same of all others.
    pub wrong_elsewhere: u64,
    /// See [`Factor::wrong_elsewhere`].
    pub of_elsewhere: u64,
    /// The chance of such a difference, corrected for all values of all facts.
    pub p_corrected: f64,
    /// The number of an image that stands for the others with that value; none for facts that speak for themselves.
    pub example: Option<u32>,
}

/// Values that errors go together with beyond `chance`, the least likely by chance first. `similar` holds a row for each
/// image of `found` that has one, by which images are grouped by appearance. Of copies and burst frames one counts.
pub fn factors(
    matched: &Matched,
    found: &DuplicateReport<'_>,
    thumbnails: &[Option<Thumbnail>],
    (similar, row_of): (&Table, &[Option<u32>]),
    chance: f64,
    seed: u64,
) -> Vec<Factor> {
    let groups = IndependentGroups::independent(found);
    let mut known = BTreeSet::new();
    let counted: Vec<&Prediction> = matched
        .predictions
        .iter()
        .filter(|one| known.insert((groups.unit(one.image as usize), one.class)))
        .collect();
    let image = |one: &Prediction| &found.images[one.image as usize];
    let mut facts: Vec<(String, Vec<String>, Vec<Option<u32>>)> = Vec::new();
    let plain = |values: Vec<String>| (values, vec![None; counted.len()]);
    for fact in Fact::ALL {
        let values = counted.iter().map(|one| fact.value(image(one).record, image(one).measured));
        let (values, examples) = plain(values.collect());
        facts.push((fact.name().to_owned(), values, examples));
    }
    for look in Measure::LOOKS {
        let values = counted.iter().map(|one| look.value(image(one).record, image(one).measured));
        let values: Vec<Option<f64>> = values.collect();
        if values.iter().all(Option::is_some) {
            let (values, examples) =
                plain(banded(&values.into_iter().flatten().collect::<Vec<_>>()));
            facts.push((look.name().to_owned(), values, examples));
        }
    }
    let mut by_groups = |name: &str, rows: Vec<Option<Vec<f32>>>| {
        let there: Vec<usize> = (0..rows.len()).filter(|&at| rows[at].is_some()).collect();
        let table = Table::of_rows(rows.into_iter().flatten()).standardised();
        let count = (there.len() as f64 / IMAGES_PER_GROUP).sqrt() as usize;
        let all: Vec<usize> = (0..there.len()).collect();
        let mut values = vec![UNKNOWN.to_owned(); counted.len()];
        let mut examples = vec![None; counted.len()];
        for (number, group) in (1..).zip(grouped(&table, &all, count.clamp(1, MOST_GROUPS), seed)) {
            for &row in &group.rows {
                values[there[row]] = format!("group {number}");
                examples[there[row]] = Some(counted[there[group.medoid]].image);
            }
        }
        facts.push((name.to_owned(), values, examples));
    };
    let of_border = |one: &&Prediction| {
        thumbnails.get(one.image as usize)?.as_ref().map(|thumbnail| border(thumbnail).to_vec())
    };
    by_groups("background", counted.iter().map(of_border).collect());
    let of_look = |one: &&Prediction| {
        let row = (*row_of.get(one.image as usize)?)?;
        Some(similar.row(row as usize).to_vec())
    };
    by_groups("appearance", counted.iter().map(of_look).collect());

    let wrong: Vec<bool> = counted.iter().map(|one| one.class != one.predicted).collect();
    let total = wrong.iter().filter(|wrong| **wrong).count() as u64;
    let mut candidates: Vec<Factor> = Vec::new();
    for (fact, values, examples) in facts {
        let (tally, places) = tallied(&values);
        for (number, (value, of)) in tally.iter().enumerate() {
            if value == OTHERS || *of == counted.len() as u64 {
                continue;
            }
            let rows = || (0..counted.len()).filter(|&row| places[row] == number);
            let here = rows().filter(|&row| wrong[row]).count() as u64;
            let (of_elsewhere, elsewhere) = (counted.len() as u64 - of, total - here);
            // Exact, as errors are few: the chance of at least as many among images drawn at random (Fisher, 1935).
            let drawn = Hypergeometric::new(counted.len() as u64, total, *of);
            let drawn = drawn.expect("no more are drawn than there are");
            let p = if here == 0 { 1.0 } else { drawn.sf(here - 1) };
            candidates.push(Factor {
                fact: fact.clone(),
                value: value.clone(),
                wrong: here,
                of: *of,
                wrong_elsewhere: elsewhere,
                of_elsewhere,
                p_corrected: p,
                example: rows().next().and_then(|row| examples[row]),
            });
        }
    }
    let corrected = holm(&candidates.iter().map(|one| one.p_corrected).collect::<Vec<_>>());
    candidates.iter_mut().zip(corrected).for_each(|(one, p)| one.p_corrected = p);
    let share = |wrong: u64, of: u64| wrong as f64 / of.max(1) as f64;
    candidates.retain(|one| {
        let is_more = share(one.wrong, one.of) > share(one.wrong_elsewhere, one.of_elsewhere);
        is_more && one.p_corrected < chance
    });
    candidates.sort_by(|a, b| a.p_corrected.total_cmp(&b.p_corrected));
    candidates
}
