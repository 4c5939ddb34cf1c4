//! Kinds of images: groups by appearance, of one class and across classes.

use std::collections::BTreeMap;

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Serialize;
use statrs::distribution::{Binomial, DiscreteCDF};

use crate::appearance::Subject;
use crate::attributes::{Fact, UNKNOWN};
use crate::duplicates::DuplicateReport;
use crate::numeric::{AT_ONCE, Interleaved, Table};

/// Images for each group squared: a class of 40 has 2 groups, one of 250 has 5. Fewer images in a group say little of it.
const IMAGES_PER_GROUP: f64 = 10.0;
/// Groups of one class, at most: what a person takes in.
const MOST_KINDS: usize = 6;
/// Groups of all images, at most.
const MOST_COMMON_KINDS: usize = 24;
/// Rounds until which groups have settled; few need ten.
const ROUNDS: usize = 30;
/// Beginnings, of which the tightest groups are taken.
const STARTS: usize = 4;
/// The share of the other classes that have a kind, for its lack to say something.
const MOST_CLASSES: f64 = 2.0 / 3.0;

/// The share of what is expected, below which a class lacks a kind: with a fifth of what others have it still has it.
const LACKING: f64 = 0.2;

/// The kinds of images of one class.
#[derive(Clone, Debug, PartialEq)]
pub struct ClassKinds {
    /// The largest first.
    pub kinds: Vec<Kind>,
}

/// Images of one class that look alike.
#[derive(Clone, Debug, PartialEq)]
pub struct Kind {
    /// The places of its images in [`Subject::images`], in order.
    pub rows: Vec<usize>,
    /// The place of the image in its middle.
    pub medoid: usize,
    /// Values that all of it has, though the class has others, beyond chance.
    pub confined: Vec<Confined>,
}

/// A value that only some images have.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Confined {
    /// What it is a value of: `split`, `camera` or `capture day`.
    pub fact: &'static str,
    /// The value.
    pub value: String,
    /// The share of the class that has it.
    pub class_share: f64,
}

/// A kind of image that most classes have and one lacks.
#[derive(Clone, Debug, PartialEq)]
pub struct MissingKind {
    /// The number of the class that lacks it.
    pub class: usize,
    /// Its images of that kind; fewer than chance explains.
    pub images: u64,
    /// How many there would be if the class had as many as the others have on average.
    pub expected: f64,
    /// How many other classes have images of that kind.
    pub having: usize,
    /// The places of images of that kind, from several classes, those in its middle first.
    pub examples: Vec<usize>,
}

/// The kinds of each class. `chance` is that of reporting a value in a collection where chance decides.
pub fn of_classes(
    subject: &Subject,
    found: &DuplicateReport<'_>,
    table: &Table,
    chance: f64,
    seed: u64,
) -> Vec<ClassKinds> {
    let grouped: Vec<Vec<Vec<usize>>> = subject
        .classes
        .iter()
        .map(|class| {
            let rows: Vec<usize> = class.rows.clone().collect();
            let count = (rows.len() as f64 / IMAGES_PER_GROUP).sqrt().round() as usize;
            groups(table, &rows, count.clamp(1, MOST_KINDS), seed)
        })
        .collect();
    let tests = 3 * grouped.iter().map(Vec::len).sum::<usize>();
    let of_class = |(class, groups): (&crate::appearance::ClassImages, Vec<Vec<usize>>)| {
        let all: Vec<usize> = class.rows.clone().collect();
        let kind = |rows: Vec<usize>| Kind {
            medoid: medoid(table, &rows),
            confined: confined(subject, found, &all, &rows, chance / tests as f64),
            rows,
        };
        let mut kinds: Vec<Kind> = groups.into_iter().map(kind).collect();
        kinds.sort_by_key(|kind| (std::cmp::Reverse(kind.rows.len()), kind.rows[0]));
        ClassKinds { kinds }
    };
    subject.classes.iter().zip(grouped).map(of_class).collect()
}

/// Values that all images of a group have and not all of its class, unless chance gives as much with `chance`.
fn confined(
    subject: &Subject,
    found: &DuplicateReport<'_>,
    class: &[usize],
    group: &[usize],
    chance: f64,
) -> Vec<Confined> {
    let image = |row: usize| &found.images[subject.images[row] as usize];
    let value = |fact: &'static str, row: usize| -> String {
        let (record, measured) = (image(row).record, image(row).measured);
        match fact {
            "camera" => Fact::Camera.value(record, measured),
            "capture day" => Fact::Day.value(record, measured),
            _ => record.split().unwrap_or(UNKNOWN).to_owned(),
        }
    };
    let of_fact = |fact: &'static str| -> Option<Confined> {
        let own = value(fact, group[0]);
        if own == UNKNOWN || group.iter().any(|&row| value(fact, row) != own) {
            return None;
        }
        let with = class.iter().filter(|&&row| value(fact, row) == own).count();
        // That all of a group drawn from the class at random have the value.
        let by_chance: f64 = (0..group.len())
            .map(|drawn| (with - drawn) as f64 / (class.len() - drawn) as f64)
            .product();
        let class_share = with as f64 / class.len() as f64;
        (by_chance < chance).then_some(Confined { fact, value: own, class_share })
    };
    ["split", "camera", "capture day"].into_iter().filter_map(of_fact).collect()
}

/// Kinds that most classes have and one has fewer of than chance explains.
pub fn missing(subject: &Subject, table: &Table, chance: f64, seed: u64) -> Vec<MissingKind> {
    let classes = subject.classes.len();
    if classes < 3 {
        return Vec::new();
    }
    let all: Vec<usize> = (0..table.len()).collect();
    let count = (all.len() as f64 / IMAGES_PER_GROUP).sqrt().round() as usize;
    let kinds = groups(table, &all, count.clamp(1, MOST_COMMON_KINDS), seed);
    let class_of = subject.class_of();
    let tests = (kinds.len() * classes) as f64;
    let mut missing = Vec::new();
    for rows in &kinds {
        let mut counts = vec![0u64; classes];
        rows.iter().for_each(|&row| counts[class_of[row] as usize] += 1);
        for (class, &images) in counts.iter().enumerate() {
            let size = subject.classes[class].rows.len() as u64;
            let others = (0..classes).filter(|&other| other != class);
            let having = others.clone().filter(|&other| counts[other] > 0).count();
            // Each class counts as much as any other, however large it is.
            let share = |other: usize| {
                counts[other] as f64 / subject.classes[other].rows.len().max(1) as f64
            };
            let mean = others.map(share).sum::<f64>() / (classes - 1) as f64;
            if (having as f64) < MOST_CLASSES * (classes - 1) as f64 || mean <= 0.0 || mean >= 1.0 {
                continue;
            }
            let by_chance = Binomial::new(mean, size).map_or(1.0, |all| all.cdf(images));
            if by_chance < chance / tests && (images as f64) < LACKING * mean * size as f64 {
                let examples = examples(table, rows, &class_of);
                let expected = mean * size as f64;
                missing.push(MissingKind { class, images, expected, having, examples });
            }
        }
    }
    missing.sort_by(|a, b| {
        let lack = |one: &MissingKind| one.expected - one.images as f64;
        lack(b).total_cmp(&lack(a)).then(a.class.cmp(&b.class))
    });
    missing
}

/// The images in the middle of a kind, one of each class.
fn examples(table: &Table, rows: &[usize], class_of: &[u32]) -> Vec<usize> {
    let centre = table.mean_of(rows);
    let mut nearest: BTreeMap<u32, (f32, usize)> = BTreeMap::new();
    for &row in rows {
        let far = Table::squared(table.row(row), &centre);
        let known = nearest.entry(class_of[row]).or_insert((far, row));
        if far < known.0 {
            *known = (far, row);
        }
    }
    let mut examples: Vec<(f32, usize)> = nearest.into_values().collect();
    examples.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    examples.into_iter().map(|(_, row)| row).collect()
}

/// The row nearest to the middle of `rows`.
fn medoid(table: &Table, rows: &[usize]) -> usize {
    let centre = table.mean_of(rows);
    let far = |row: usize| Table::squared(table.row(row), &centre);
    let nearest = rows.iter().copied().min_by(|&a, &b| far(a).total_cmp(&far(b)));
    nearest.expect("a group has rows")
}

/// Rows that lie together.
pub(crate) struct Grouped {
    /// The rows, in order.
    pub rows: Vec<usize>,
    /// The one in their middle.
    pub medoid: usize,
}

/// [`groups`], the largest first, each with the row in its middle.
pub(crate) fn grouped(table: &Table, rows: &[usize], count: usize, seed: u64) -> Vec<Grouped> {
    if rows.is_empty() {
        return Vec::new();
    }
    let groups = groups(table, rows, count, seed).into_iter();
    let mut groups: Vec<Grouped> =
        groups.map(|rows| Grouped { medoid: medoid(table, &rows), rows }).collect();
    groups.sort_by_key(|group| (std::cmp::Reverse(group.rows.len()), group.rows[0]));
    groups
}

/// `rows` in at most `count` groups around their middles (k-means: Lloyd, Least squares quantization in PCM, 1982), begun at
/// rows that are drawn by their distance from those before (Arthur and Vassilvitskii, k-means++, 2007). Groups are in the order
/// of their first rows.
fn groups(table: &Table, rows: &[usize], count: usize, seed: u64) -> Vec<Vec<usize>> {
    if count < 2 || rows.len() <= count {
        return vec![rows.to_vec()];
    }
    let mut best: Option<(f64, Vec<usize>)> = None;
    for start in 0..STARTS as u64 {
        // Each beginning draws other rows; the first row makes classes of one collection differ.
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ (start << 32) ^ ((rows[0] as u64) << 40));
        let mut centres = begin(table, rows, count, &mut rng);
        let mut of = vec![0usize; rows.len()];
        let mut apart = 0.0;
        for round in 0..ROUNDS {
            apart = 0.0;
            let mut changed = round == 0;
            let interleaved = Interleaved::of_rows(&centres);
            for (of, rows) in of.chunks_mut(AT_ONCE).zip(rows.chunks(AT_ONCE)) {
                let wanted: Vec<&[f32]> = rows.iter().map(|&row| table.row(row)).collect();
                let mut nearest = [(f32::INFINITY, 0); AT_ONCE];
                interleaved.distances(&wanted, |at, first, squared| {
                    for (centre, &squared) in (first..).zip(squared) {
                        if squared < nearest[at].0 {
                            nearest[at] = (squared, centre);
                        }
                    }
                });
                for (group, (least, nearest)) in of.iter_mut().zip(nearest) {
                    apart += f64::from(least);
                    changed |= *group != nearest;
                    *group = nearest;
                }
            }
            if !changed {
                break;
            }
            for (at, middle) in centres.iter_mut().enumerate() {
                let own: Vec<usize> = of
                    .iter()
                    .zip(rows)
                    .filter(|(group, _)| **group == at)
                    .map(|(_, &row)| row)
                    .collect();
                if !own.is_empty() {
                    *middle = table.mean_of(&own);
                }
            }
        }
        if best.as_ref().is_none_or(|(least, _)| apart < *least) {
            best = Some((apart, of));
        }
    }
    let (_, of) = best.expect("there is a beginning");
    let mut groups: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    of.iter().zip(rows).for_each(|(&group, &row)| groups.entry(group).or_default().push(row));
    let mut groups: Vec<Vec<usize>> = groups.into_values().collect();
    groups.sort_by_key(|group| group[0]);
    groups
}

fn begin(table: &Table, rows: &[usize], count: usize, rng: &mut ChaCha8Rng) -> Vec<Vec<f32>> {
    let first = rows[rng.random_range(0..rows.len())];
    let mut centres = vec![table.row(first).to_vec()];
    let mut far: Vec<f64> = vec![f64::INFINITY; rows.len()];
    while centres.len() < count {
        let last = centres.last().expect("there is one");
        for (far, &row) in far.iter_mut().zip(rows) {
            *far = far.min(f64::from(Table::squared(table.row(row), last)));
        }
        let mut left = rng.random_range(0.0..1.0) * far.iter().sum::<f64>();
        let drawn = far.iter().position(|far| {
            left -= far;
            left < 0.0
        });
        // All that is left lies on the centres.
        let Some(drawn) = drawn else { break };
        centres.push(table.row(rows[drawn]).to_vec());
    }
    centres
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn groups_are_those_that_lie_together_whatever_the_seed() {
        let place =
            |at: usize| [(at % 3) as f32 * 10.0 + (at / 3) as f32 * 0.1, (at % 7) as f32 * 0.1];
        let table = Table::of_rows((0..60).map(place));
        let rows: Vec<usize> = (0..60).collect();
        for seed in 0..5 {
            let found = groups(&table, &rows, 3, seed);
            let expected: Vec<Vec<usize>> =
                (0..3).map(|first| (first..60).step_by(3).collect()).collect();
            assert_eq!(found, expected, "seed {seed}");
        }
        assert_eq!(groups(&table, &rows[..2], 3, 0), [[0, 1]]);
        // Equal rows are one group.
        let equal = Table { width: 1, values: vec![1.0; 9] };
        assert_eq!(groups(&equal, &[0, 1, 2, 3, 4], 3, 0).len(), 1);
    }

    #[test]
    fn a_kind_that_one_class_lacks_is_named() {
        use crate::appearance::ClassImages;
        // Four classes of 60: half of each lies around 0 and half around 20, but for the last, which lacks the second.
        let class = |number: usize| ClassImages {
            class: format!("class {number}"),
            rows: number * 60..(number + 1) * 60,
        };
        let subject = Subject {
            images: (0..240).collect(),
            classes: (0..4).map(class).collect(),
            ..Subject::default()
        };
        let place = |at: usize| {
            let is_far = at % 2 == 1 && at < 180;
            [if is_far { 20.0 } else { 0.0 } + (at % 5) as f32 * 0.1, (at % 11) as f32 * 0.1]
        };
        let table = Table::of_rows((0..240).map(place));
        let missing = missing(&subject, &table, 0.01, 1);
        assert!(!missing.is_empty());
        for one in &missing {
            assert!(one.class == 3 && one.images == 0 && one.having == 3, "{one:?}");
            assert!(one.examples.iter().all(|row| row % 2 == 1), "{one:?}");
        }
    }
}
