//! Dealing the images out.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::groups::{Assigned, Eligible, GroupId, LeftOut, eligible};
use super::parts::{Amount, Parts};
use super::request::{Per, Request, Stratum};
use super::search::{Kind, Problem, Row, mixed};
use super::targets::{SplitError, Targets, targets};
use crate::catalog::Catalog;
use crate::duplicates::DuplicateReport;
use crate::measuring::Digest;
use crate::record::Record;

/// Which image goes where.
#[derive(Debug)]
pub struct Assignment<'a> {
    /// The images that take part, in the order of their paths.
    pub images: Vec<Assigned<'a>>,
    /// The files that do not, in the order of their paths.
    pub left_out: Vec<(&'a Record, LeftOut)>,
    /// Per class, in the order of their names.
    pub classes: Vec<ClassCounts>,
    /// Images that each part should have; not whole.
    pub requested: Vec<f64>,
    /// How far all of it is off: the sum over parts and classes of the difference over the size of the class, and over
    /// parts of the difference over all.
    pub distance: f64,
    /// The part of each record that takes part.
    part_of: HashMap<usize, usize>,
}

/// What one class has and what its parts got.
#[derive(Clone, Debug, PartialEq)]
pub struct ClassCounts {
    /// The class.
    pub class: String,
    /// Its images.
    pub images: u64,
    /// Its groups of images that stay together, those of one image included.
    pub groups: u64,
    /// Images of the largest of these.
    pub largest_group: u64,
    /// Images in each part.
    pub got: Vec<u64>,
    /// Images that each part should have; not whole.
    pub requested: Vec<f64>,
}

impl Assignment<'_> {
    /// Takes images out that no tree can hold under their names: the numbers of their records. What the parts have is
    /// counted again; what they should have stays what was asked for.
    pub fn leave_out(&mut self, unstorable: &BTreeSet<usize>) {
        if unstorable.is_empty() {
            return;
        }
        for image in self.images.iter().filter(|image| unstorable.contains(&image.index)) {
            self.left_out.push((image.record, LeftOut::Unstorable));
            self.part_of.remove(&image.index);
            if let Some(counts) = self.classes.iter_mut().find(|counts| counts.class == image.class)
            {
                counts.images -= 1;
                counts.got[image.part] -= 1;
            }
        }
        self.images.retain(|image| !unstorable.contains(&image.index));
        self.classes.retain(|counts| counts.images > 0);
        self.left_out.sort_by(|a, b| a.0.path.cmp(&b.0.path));
    }

    /// The part of the record with this number, if it takes part.
    pub fn part_of(&self, index: usize) -> Option<usize> {
        self.part_of.get(&index).copied()
    }
}

/// A group of images that stay together, and where it goes.
struct Unit {
    /// Drawn from the seed and the content.
    order: u64,
    members: Vec<usize>,
    /// The part that earlier images of it are in.
    part: Option<usize>,
}

/// Makes the seed of a subset another one than that of the split: who is drawn must not say where to.
const SUBSET_SEED: u64 = 0x5ab5_e700;

/// A random number of a seed and a content.
pub(super) fn drawn(seed: u64, digest: Digest) -> u64 {
    let mut hasher = blake3::Hasher::new();
    hasher.update(b"mint-sieve split 2").update(&seed.to_le_bytes()).update(&digest.0);
    u64::from_le_bytes(hasher.finalize().as_bytes()[..8].try_into().expect("8 bytes"))
}

/// Assigns every image of `catalog` that has a class to a part. What `found` knows to be copies or burst frames,
/// and what is asked to stay together, does.
///
/// What is least is reported in [`Assignment::distance`], after one thing that comes before: a class with at least as many
/// groups as there are parts is in every part, and every class is in the first. Which groups of the same counts go
/// where is drawn, each as likely as any other.
///
/// # Errors
///
/// What is asked for and cannot be had; nothing was decided then.
pub fn assign<'a>(
    catalog: &'a Catalog,
    found: &DuplicateReport<'_>,
    request: &Request,
) -> Result<Assignment<'a>, SplitError> {
    let Eligible { mut images, mut left_out } = eligible(catalog, found, request)?;
    check_earlier(request, &images)?;
    if let Some(subset) = request.subset {
        let parts = Parts::taken(subset.amount);
        let units = units(&images, request.seed ^ SUBSET_SEED, |_| None);
        let outcome = divide(&mut images, units, &parts, subset.per, &request.strata, &[true; 2])
            .map_err(|error| match error {
            SplitError::TooMany { asked, images, .. } => {
                SplitError::SubsetTooLarge { asked, images }
            }
            SplitError::ClassTooSmall { asked, class, images, .. } => {
                SplitError::SubsetClassTooSmall { asked, class, images }
            }
            other => other,
        })?;
        drop(outcome);
        left_out.extend(taken_out(&mut images, |image| {
            (image.part == 1).then_some(LeftOut::NotInSubset)
        }));
    }
    let part_names = request.parts.names();
    let number_of = |name: &str| part_names.iter().position(|part| part == name);
    let earlier = |image: &Assigned<'_>| match (&request.from, image.record.split()) {
        (Some(from), Some(split)) if split != from => number_of(split),
        _ => number_of(request.earlier.as_ref()?.part(image.digest)?),
    };
    let is_open: Vec<bool> = part_names
        .iter()
        .zip(request.parts.amounts())
        .map(|(name, amount)| !request.locked.contains(name) && *amount != Amount::Kept)
        .collect();
    if let Some(reason) = left_by_earlier(&images, &earlier, &is_open) {
        left_out.extend(taken_out(&mut images, |image| reason.get(&image.index).copied()));
    }
    left_out.sort_by(|a, b| a.0.path.cmp(&b.0.path));
    let units = units(&images, request.seed, earlier);
    let Divided { classes, requested, distance } =
        divide(&mut images, units, &request.parts, request.per, &request.strata, &is_open)?;
    let part_of = images.iter().map(|image| (image.index, image.part)).collect();
    Ok(Assignment { images, left_out, classes, requested, distance, part_of })
}

/// Refuses locks and earlier splits that make no sense.
fn check_earlier(request: &Request, images: &[Assigned<'_>]) -> Result<(), SplitError> {
    let names = request.parts.names();
    if let Some(unknown) = request.locked.iter().find(|name| !names.contains(name)) {
        return Err(SplitError::LockedUnknown(unknown.clone()));
    }
    let Some(earlier) = &request.earlier else {
        return if request.locked.is_empty() { Ok(()) } else { Err(SplitError::NothingToLock) };
    };
    if names.iter().all(|name| request.locked.contains(name)) {
        return Err(SplitError::AllLocked);
    }
    let is_known = |part: &&str| names.iter().any(|name| name == part);
    if let Some(part) = earlier.parts().into_iter().find(|part| !is_known(part)) {
        return Err(SplitError::EarlierPart(part.to_owned()));
    }
    match images.iter().any(|image| earlier.part(image.digest).is_some()) {
        true => Ok(()),
        false => Err(SplitError::EarlierUnknown(earlier.images)),
    }
}

/// Takes the images out for which there is a reason.
fn taken_out<'a>(
    images: &mut Vec<Assigned<'a>>,
    reason: impl Fn(&Assigned<'a>) -> Option<LeftOut>,
) -> Vec<(&'a Record, LeftOut)> {
    let mut out = Vec::new();
    images.retain(|image| match reason(image) {
        Some(why) => {
            out.push((image.record, why));
            false
        }
        None => true,
    });
    out
}

/// New images that can go nowhere, by the numbers of their records: what they belong together with is in a part that
/// takes nothing new, or in several.
fn left_by_earlier(
    images: &[Assigned<'_>],
    earlier: &impl Fn(&Assigned<'_>) -> Option<usize>,
    is_open: &[bool],
) -> Option<BTreeMap<usize, LeftOut>> {
    let mut parts: HashMap<Digest, BTreeSet<usize>> = HashMap::new();
    for image in images {
        if let Some(part) = earlier(image) {
            parts.entry(image.group.0).or_default().insert(part);
        }
    }
    let reason = |image: &Assigned<'_>| {
        let parts = parts.get(&image.group.0)?;
        match (earlier(image), parts.len()) {
            (Some(_), _) => None,
            (None, 1) if parts.iter().all(|&part| is_open[part]) => None,
            (None, 1) => Some((image.index, LeftOut::Locked)),
            (None, _) => Some((image.index, LeftOut::SpansSplits)),
        }
    };
    let reasons: BTreeMap<usize, LeftOut> = images.iter().filter_map(reason).collect();
    (!reasons.is_empty()).then_some(reasons)
}

/// The groups; earlier images of one group that are in several parts are a group each.
fn units(
    images: &[Assigned<'_>],
    seed: u64,
    earlier: impl Fn(&Assigned<'_>) -> Option<usize>,
) -> Vec<Unit> {
    let mut by_group: BTreeMap<GroupId, Vec<usize>> = BTreeMap::new();
    for (member, image) in images.iter().enumerate() {
        by_group.entry(image.group).or_default().push(member);
    }
    let mut units = Vec::with_capacity(by_group.len());
    for (group, members) in by_group {
        let order = drawn(seed, group.0);
        let parts: BTreeSet<usize> =
            members.iter().filter_map(|&member| earlier(&images[member])).collect();
        match parts.len() {
            0 | 1 => units.push(Unit { order, members, part: parts.first().copied() }),
            _ => units.extend(parts.into_iter().map(|part| {
                let here = |member: &&usize| earlier(&images[**member]) == Some(part);
                let members = members.iter().filter(here).copied().collect();
                Unit { order, members, part: Some(part) }
            })),
        }
    }
    units
}

/// What came of dividing.
struct Divided {
    classes: Vec<ClassCounts>,
    requested: Vec<f64>,
    distance: f64,
}

/// Gives every unit a part.
fn divide(
    images: &mut [Assigned<'_>],
    units: Vec<Unit>,
    parts: &Parts,
    per: Per,
    strata: &[Stratum],
    is_open: &[bool],
) -> Result<Divided, SplitError> {
    let mut sizes: BTreeMap<&str, u64> = BTreeMap::new();
    images.iter().for_each(|image| *sizes.entry(image.class).or_default() += 1);
    let sizes: Vec<(&str, u64)> = sizes.into_iter().collect();
    let class_of = |image: &Assigned<'_>| {
        sizes.binary_search_by_key(&image.class, |(class, _)| class).expect("a class of the list")
    };
    let cells = cells(images, strata, &class_of);
    let tally = Tally::new(images, &units, &cells, sizes.len(), parts.len(), &class_of);
    let targets = targets(parts, per, &sizes, &tally.fixed[..sizes.len()])?;
    // A part that keeps what it has is not to be filled; one without an image is none, unless there are fewer groups than
    // parts.
    let fills = !parts.amounts().contains(&Amount::Kept);
    let mut rows = rows(&sizes, &cells, &tally, &targets, fills);
    rows.push(Row {
        weight: 1.0 / images.len().max(1) as f64,
        target: targets.all.clone(),
        fixed: tally.fixed[rows.len()].clone(),
        is_in_every_part: fills && units.len() >= parts.len(),
        is_in_first_part: false,
    });
    let kinds: Vec<_> = tally.kinds.into_iter().collect();
    let random = |units: &[&Unit]| mixed(units.iter().map(|unit| unit.order).min().unwrap_or(0));
    let kind = |(counts, units): &(Vec<(usize, u64)>, Vec<&Unit>)| Kind {
        counts: counts.clone(),
        groups: units.len() as u64,
        random: random(units),
    };
    let problem =
        Problem { rows, kinds: kinds.iter().map(kind).collect(), is_open: is_open.to_vec() };
    let counts = problem.solve();
    let units_of_kinds = kinds.into_iter().map(|(_, units)| units).collect();
    deal(images, &units, units_of_kinds, &counts);
    let got = problem.images(&counts);
    let total = &got[got.len() - 1];
    let classes = sizes.iter().zip(targets.classes).enumerate();
    let classes = classes.map(|(class, (&(name, size), requested))| ClassCounts {
        class: name.to_owned(),
        images: size,
        groups: tally.groups[class].0,
        largest_group: tally.groups[class].1,
        got: got[class].clone(),
        requested,
    });
    let classes: Vec<ClassCounts> = classes.collect();
    let distance =
        classes.iter().map(|class| is_off_by(&class.got, &class.requested, class.images));
    let distance = distance.sum::<f64>() + is_off_by(total, &targets.all, images.len() as u64);
    Ok(Divided { classes, requested: targets.all, distance })
}

/// How far the images of each part are from those that it should have, over all of them.
pub(super) fn is_off_by(got: &[u64], requested: &[f64], size: u64) -> f64 {
    let cells = got.iter().zip(requested);
    cells.map(|(&got, asked)| (got as f64 - asked).abs()).sum::<f64>() / size.max(1) as f64
}

/// The units of a split, counted by the rows that they count in: classes, then cells of strata, then all images.
struct Tally<'u> {
    /// For each class its units, and the images of the largest of them.
    groups: Vec<(u64, u64)>,
    /// For each row the images that each part has already.
    fixed: Vec<Vec<u64>>,
    /// The units without a part, by how many images they have in each row.
    kinds: BTreeMap<Vec<(usize, u64)>, Vec<&'u Unit>>,
}

impl<'u> Tally<'u> {
    fn new(
        images: &[Assigned<'_>],
        units: &'u [Unit],
        cells: &Cells,
        classes: usize,
        parts: usize,
        class_of: &dyn Fn(&Assigned<'_>) -> usize,
    ) -> Self {
        let last = classes + cells.rows.len();
        let mut groups = vec![(0u64, 0u64); classes];
        let mut fixed = vec![vec![0u64; parts]; last + 1];
        let mut kinds: BTreeMap<Vec<(usize, u64)>, Vec<&Unit>> = BTreeMap::new();
        for unit in units {
            let mut counts: BTreeMap<usize, u64> = BTreeMap::new();
            for &member in &unit.members {
                let strata = cells.of_image.get(member).into_iter().flatten();
                let strata = strata.map(|cell| classes + cell);
                for row in [class_of(&images[member]), last].into_iter().chain(strata) {
                    *counts.entry(row).or_default() += 1;
                }
            }
            for (&class, &count) in counts.range(..classes) {
                groups[class].0 += 1;
                groups[class].1 = groups[class].1.max(count);
            }
            match unit.part {
                Some(part) => counts.iter().for_each(|(&row, &count)| fixed[row][part] += count),
                None => kinds.entry(counts.into_iter().collect()).or_default().push(unit),
            }
        }
        Tally { groups, fixed, kinds }
    }
}

/// What each class should get of every part.
pub(super) fn class_rows(
    sizes: &[(&str, u64)],
    groups: &[(u64, u64)],
    fixed: &[Vec<u64>],
    targets: &Targets,
    fills: bool,
) -> Vec<Row> {
    let row = |(class, &(_, size)): (usize, &(&str, u64))| {
        let parts = targets.classes[class].len() as u64;
        let is_in_every_part = fills && groups[class].0 >= parts;
        Row {
            weight: 1.0 / size.max(1) as f64,
            target: targets.classes[class].clone(),
            fixed: fixed[class].clone(),
            is_in_every_part,
            is_in_first_part: !is_in_every_part,
        }
    };
    sizes.iter().enumerate().map(row).collect()
}

/// What each class and each cell of the strata should get of every part.
fn rows(
    sizes: &[(&str, u64)],
    cells: &Cells,
    tally: &Tally<'_>,
    targets: &Targets,
    fills: bool,
) -> Vec<Row> {
    let mut rows = class_rows(sizes, &tally.groups, &tally.fixed, targets, fills);
    for (cell, stratum) in cells.rows.iter().enumerate() {
        let class = stratum.class;
        let share = stratum.images as f64 / sizes[class].1 as f64;
        let importance = if stratum.is_combination { COMBINATION_WEIGHT } else { 1.0 };
        rows.push(Row {
            weight: rows[class].weight * importance,
            target: targets.classes[class].iter().map(|target| target * share).collect(),
            fixed: tally.fixed[sizes.len() + cell].clone(),
            is_in_every_part: false,
            is_in_first_part: false,
        });
    }
    rows
}

/// Gives each image the part of its unit: the one that the unit has, or that its kind gets by its place in the seeded order.
fn deal(images: &mut [Assigned<'_>], units: &[Unit], kinds: Vec<Vec<&Unit>>, counts: &[Vec<u64>]) {
    let mut put = |unit: &Unit, part: usize| {
        unit.members.iter().for_each(|&member| images[member].part = part);
    };
    for (mut units, counts) in kinds.into_iter().zip(counts) {
        units.sort_by_key(|unit| (unit.order, unit.members[0]));
        let mut units = units.into_iter();
        for (part, &count) in counts.iter().enumerate() {
            units.by_ref().take(count as usize).for_each(|unit| put(unit, part));
        }
    }
    units.iter().for_each(|unit| unit.part.into_iter().for_each(|part| put(unit, part)));
}

/// How much a combination of values counts beside each value by itself: little, so that every fact is balanced first, and
/// combinations are as far as that allows. Not nothing, as then they would be balanced by accident only.
const COMBINATION_WEIGHT: f64 = 1.0 / 16.0;

/// One stratum of a class: the images in which a fact has one value, or in which all facts have the same values.
struct StratumRow {
    class: usize,
    images: u64,
    is_combination: bool,
}

/// The strata of all classes.
struct Cells {
    rows: Vec<StratumRow>,
    /// The strata of each image; empty where nothing is asked for.
    of_image: Vec<Vec<usize>>,
}

fn cells(
    images: &[Assigned<'_>],
    strata: &[Stratum],
    class_of: &impl Fn(&Assigned<'_>) -> usize,
) -> Cells {
    /// The class, the number of the fact, and its value; all facts have the number after the last, and all values.
    type Key = (usize, usize, Vec<String>);
    if strata.is_empty() {
        return Cells { rows: Vec::new(), of_image: Vec::new() };
    }
    let keys = |image: &Assigned<'_>| -> Vec<Key> {
        let class = class_of(image);
        let values: Vec<String> =
            strata.iter().map(|one| one.value(image.record, image.measured)).collect();
        let each = values.iter().enumerate();
        let mut keys: Vec<Key> =
            each.map(|(fact, value)| (class, fact, vec![value.clone()])).collect();
        if strata.len() > 1 {
            keys.push((class, strata.len(), values));
        }
        keys
    };
    let keys: Vec<Vec<Key>> = images.iter().map(keys).collect();
    let mut numbers: BTreeMap<&Key, usize> = keys.iter().flatten().map(|key| (key, 0)).collect();
    numbers.values_mut().enumerate().for_each(|(number, at)| *at = number);
    let row = |&(class, fact, _): &Key| StratumRow {
        class,
        images: 0,
        is_combination: fact == strata.len(),
    };
    let mut rows: Vec<StratumRow> = numbers.keys().map(|key| row(key)).collect();
    let of_image: Vec<Vec<usize>> =
        keys.iter().map(|keys| keys.iter().map(|key| numbers[key]).collect()).collect();
    of_image.iter().flatten().for_each(|&cell| rows[cell].images += 1);
    Cells { rows, of_image }
}
