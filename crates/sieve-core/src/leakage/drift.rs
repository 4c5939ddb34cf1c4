//! Are the splits alike, apart from chance?

use std::collections::HashSet;

use super::order::Order;
use crate::attributes::{Fact, Measure, OTHERS, tallied, two_digits};
use crate::collection::Collection;
use crate::duplicates::{DuplicateReport, ImageRef};
use crate::independent::IndependentGroups;
use crate::limits::FindingLimits;
use crate::statistics::{Contingency, holm, kruskal_wallis, median, total_variation};

/// What is compared between splits.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Quantity {
    /// The shares of the classes, files counted.
    Classes,
    /// The shares of the values of a fact, independent images counted.
    Fact(Fact),
    /// A number, over independent images.
    Measure(Measure),
}

impl Quantity {
    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Quantity::Classes => "class shares",
            Quantity::Fact(fact) => fact.name(),
            Quantity::Measure(measure) => measure.name(),
        }
    }
}

/// How one quantity differs between splits.
#[derive(Clone, Debug, PartialEq)]
pub struct Drift {
    /// The quantity.
    pub quantity: Quantity,
    /// Chi-squared of splits against values, or H of Kruskal and Wallis for a measure.
    pub statistic: f64,
    /// Its degrees of freedom.
    pub degrees: u64,
    /// The chance of as large a difference where all splits were drawn from one pile, 0 to 1.
    pub p: f64,
    /// The same, corrected for all tests between the splits (Holm).
    pub p_corrected: f64,
    /// How large the difference is, 0 to 1: Cramer's V without what chance gives, or the root of
    /// epsilon-squared for a measure.
    pub effect: f64,
    /// Whether chance explains it, all tests considered.
    pub is_chance: bool,
    /// Whether it is beyond the limit, and no chance.
    pub is_found: bool,
    /// How each two splits differ.
    pub pairs: Vec<PairDrift>,
    /// The median in each split, for a measure.
    pub medians: Vec<(String, f64)>,
    /// The value whose share differs most between two splits; of a measure only where its medians are the same, what
    /// lies above some number.
    pub most: Option<Most>,
}

/// Where shares differ most.
#[derive(Clone, Debug, PartialEq)]
pub struct Most {
    /// The value.
    pub value: String,
    /// The split with the larger share, and that.
    pub high: (String, f64),
    /// The split with the smaller share, and that.
    pub low: (String, f64),
}

/// How two splits differ.
#[derive(Clone, Debug, PartialEq)]
pub struct PairDrift {
    /// The splits.
    pub splits: [String; 2],
    /// Total variation: half the sum of the differences of shares, 0 to 1.
    pub total_variation: f64,
}

pub(super) fn drift(collection: &Collection, found: &DuplicateReport<'_>) -> Vec<Drift> {
    let in_class = |image: &&ImageRef<'_>| image.record.class().is_some();
    // Images without a class are kept for later, and may be of any kind.
    let splits: Vec<&String> = collection
        .splits
        .iter()
        .filter(|split| {
            let mut here = found.images.iter().filter(in_class);
            here.any(|image| image.record.split() == Some(split))
        })
        .collect();
    if splits.len() < 2 {
        return Vec::new();
    }
    let units = IndependentGroups::with_groups(found);
    let place =
        |image: &ImageRef<'_>| splits.iter().position(|split| image.record.split() == Some(split));
    let mut files: Vec<(usize, &ImageRef<'_>)> = Vec::new();
    let mut independent = Vec::new();
    let mut seen: HashSet<(u32, usize)> = HashSet::new();
    for (number, image) in found.images.iter().enumerate() {
        let Some(split) = place(image).filter(|_| in_class(&image)) else { continue };
        files.push((split, image));
        if seen.insert((units.unit(number), split)) {
            independent.push((split, image));
        }
    }
    let mut all = Vec::new();
    let classes: Vec<String> =
        files.iter().filter_map(|(_, one)| one.record.class().map(str::to_owned)).collect();
    all.extend(shares(Quantity::Classes, &splits, &files, &classes, false));
    for fact in Fact::ALL {
        let values = independent.iter().map(|(_, one)| fact.value(one.record, one.measured));
        let values: Vec<String> = values.collect();
        all.extend(shares(Quantity::Fact(fact), &splits, &independent, &values, true));
    }
    all.extend(Measure::ALL.into_iter().filter_map(|of| measure(of, &splits, &independent)));
    all
}

/// Compares shares of `values`, which are those of `images`.
fn shares(
    quantity: Quantity,
    splits: &[&String],
    images: &[(usize, &ImageRef<'_>)],
    values: &[String],
    are_rare_pooled: bool,
) -> Option<Drift> {
    let (names, places) = if are_rare_pooled {
        let (tally, places) = tallied(values);
        (tally.into_iter().map(|(value, _)| value).collect(), places)
    } else {
        let mut names: Vec<String> = values.to_vec();
        names.sort_unstable();
        names.dedup();
        let places = values.iter().map(|value| names.binary_search(value).unwrap_or(0)).collect();
        (names, places)
    };
    let mut table = Contingency::new(splits.len(), names.len());
    images.iter().zip(&places).for_each(|((split, _), &place)| table.add(*split, place, 1));
    let association = table.association()?;
    let row =
        |split: usize| (0..names.len()).map(|value| table.at(split, value)).collect::<Vec<_>>();
    let rows: Vec<Vec<u64>> = (0..splits.len()).map(row).collect();
    let mut pairs = Vec::new();
    for a in 0..splits.len() {
        for b in a + 1..splits.len() {
            pairs.extend(total_variation(&rows[a], &rows[b]).map(|total_variation| PairDrift {
                splits: [splits[a].clone(), splits[b].clone()],
                total_variation,
            }));
        }
    }
    Some(Drift {
        quantity,
        statistic: association.chi_squared,
        degrees: association.degrees,
        p: association.p,
        p_corrected: 1.0,
        effect: association.cramers_v_corrected,
        is_chance: true,
        is_found: false,
        pairs,
        medians: Vec::new(),
        most: most(splits, &names, &rows),
    })
}

/// The value whose share differs most between two splits; of equals the first.
fn most(splits: &[&String], names: &[String], rows: &[Vec<u64>]) -> Option<Most> {
    let sums: Vec<u64> = rows.iter().map(|row| row.iter().sum()).collect();
    let mut most: Option<Most> = None;
    // A pool of rare values is none that anybody can look up.
    for (value, name) in names.iter().enumerate().filter(|(_, name)| *name != OTHERS) {
        let shares = rows.iter().zip(&sums).map(|(row, &sum)| row[value] as f64 / sum as f64);
        let shares: Vec<(usize, f64)> = shares.enumerate().collect();
        let by_share = |a: &&(usize, f64), b: &&(usize, f64)| a.1.total_cmp(&b.1);
        let (high, low) = (shares.iter().rev().max_by(by_share)?, shares.iter().min_by(by_share)?);
        let gap = high.1 - low.1;
        if most.as_ref().is_none_or(|known| gap > known.high.1 - known.low.1) {
            let named = |&(split, share): &(usize, f64)| (splits[split].clone(), share);
            most = Some(Most { value: name.clone(), high: named(high), low: named(low) });
        }
    }
    most
}

fn measure(
    measure: Measure,
    splits: &[&String],
    images: &[(usize, &ImageRef<'_>)],
) -> Option<Drift> {
    let mut groups = vec![Vec::new(); splits.len()];
    for (split, image) in images {
        groups[*split].extend(measure.value(image.record, image.measured));
    }
    let test = kruskal_wallis(&groups)?;
    let medians: Vec<(String, f64)> = splits
        .iter()
        .zip(&groups)
        .filter_map(|(split, numbers)| Some(((*split).clone(), median(numbers.iter().copied())?)))
        .collect();
    let are_same = medians.windows(2).all(|two| two_digits(two[0].1) == two_digits(two[1].1));
    let is_time = measure == Measure::Captured;
    let most = (are_same && !is_time).then(|| widest(splits, &groups)).flatten();
    Some(Drift {
        quantity: Quantity::Measure(measure),
        statistic: test.h,
        degrees: test.degrees,
        p: test.p,
        p_corrected: 1.0,
        effect: test.epsilon_squared.sqrt(),
        is_chance: true,
        is_found: false,
        pairs: Vec::new(),
        medians,
        most,
    })
}

/// Where the shares of the images above one number differ most between two splits: what Kolmogorov and Smirnov
/// measure.
fn widest(splits: &[&String], groups: &[Vec<f64>]) -> Option<Most> {
    let mut ends: Vec<f64> = groups.iter().flatten().copied().map(two_digits).collect();
    ends.sort_unstable_by(f64::total_cmp);
    ends.dedup();
    let over = |end: f64| -> Vec<u64> {
        let count = |group: &Vec<f64>| group.iter().filter(|&&number| number > end).count() as u64;
        groups.iter().map(count).collect()
    };
    let mut all: Option<Most> = None;
    for end in ends {
        let rows: Vec<Vec<u64>> = over(end)
            .into_iter()
            .zip(groups)
            .map(|(above, group)| vec![above, group.len() as u64 - above])
            .collect();
        let names = [format!("over {end}"), OTHERS.to_owned()];
        let gap = |most: &Most| most.high.1 - most.low.1;
        let here = most(splits, &names, &rows)?;
        if all.as_ref().is_none_or(|known| gap(&here) > gap(known)) {
            all = Some(here);
        }
    }
    all
}

/// Corrects the chances of all tests together, decides, and puts the largest effect first.
pub(super) fn correct(drift: &mut [Drift], order: Option<&mut Order>, limits: &FindingLimits) {
    let p: Vec<f64> =
        drift.iter().map(|one| one.p).chain(order.as_ref().map(|order| order.p)).collect();
    let corrected = holm(&p);
    for (one, &p) in drift.iter_mut().zip(&corrected) {
        one.p_corrected = p;
        one.is_chance = p >= limits.chance;
        one.is_found = !one.is_chance && one.effect >= limits.drift;
    }
    if let (Some(order), Some(&p)) = (order, corrected.last()) {
        order.p_corrected = p;
        order.is_cut = p < limits.chance && (order.runs as f64) < order.expected / 2.0;
    }
    drift.sort_by(|a, b| b.effect.total_cmp(&a.effect).then(a.quantity.cmp(&b.quantity)));
}
