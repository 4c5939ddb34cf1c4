//! Which images take part, and which of them are never parted.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::fmt;

use super::request::{Conflicts, GroupingRules, Request};
use super::targets::SplitError;
use crate::catalog::Catalog;
use crate::collection::Label;
use crate::duplicates::{DuplicateReport, Pair};
use crate::independent::IndependentGroups;
use crate::measuring::{Digest, Measured};
use crate::record::{Outcome, Record};

/// The name of a group of images that stay together: the first 16 hexadecimal digits of the least
/// of their digests. It depends on the content alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct GroupId(pub(super) Digest);

impl fmt::Display for GroupId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", &self.0.to_string()[..16])
    }
}

/// One image and its part.
#[derive(Clone, Debug)]
pub struct Assigned<'a> {
    /// The image.
    pub record: &'a Record,
    /// What was measured of it.
    pub measured: &'a Measured,
    /// The number of its record in the catalog.
    pub index: usize,
    /// Its class.
    pub class: &'a str,
    /// Its digest.
    pub digest: Digest,
    /// The images that it stays together with carry the same.
    pub group: GroupId,
    /// Index of its part in the request.
    pub part: usize,
}

/// Why a file takes no part in the split.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LeftOut {
    /// It was set aside when it was read.
    SetAside,
    /// It lies in no class folder.
    NoClass,
    /// A copy of it is under another class.
    LabelConflict,
    /// It was not in the random subset.
    NotInSubset,
    /// What it belongs together with is in a part that takes nothing new.
    Locked,
    /// What it belongs together with is in several parts of the earlier split.
    SpansSplits,
    /// No folder can hold it under its name or that of its class.
    Unstorable,
}

impl LeftOut {
    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            LeftOut::SetAside => "set-aside",
            LeftOut::NoClass => "no-class",
            LeftOut::LabelConflict => "label-conflict",
            LeftOut::NotInSubset => "not-in-subset",
            LeftOut::Locked => "locked",
            LeftOut::SpansSplits => "spans-splits",
            LeftOut::Unstorable => "unstorable-name",
        }
    }
}

/// The images that take part, in the order of their paths, and the files that do not.
pub struct Eligible<'a> {
    /// Those that take part.
    pub images: Vec<Assigned<'a>>,
    /// Those that do not, and why.
    pub left_out: Vec<(&'a Record, LeftOut)>,
}

/// The images of `catalog` that take part, each with its group.
///
/// # Errors
///
/// When a pattern of the request matches no path.
pub fn eligible<'a>(
    catalog: &'a Catalog,
    found: &DuplicateReport<'_>,
    request: &Request,
) -> Result<Eligible<'a>, SplitError> {
    let units = units(found, &request.together)?;
    let of_record: HashMap<usize, u32> =
        (0u32..).zip(&found.images).map(|(number, image)| (image.index, number)).collect();
    let conflicts = match request.conflicts {
        Conflicts::LeaveOut if request.together.copies => conflicting(found),
        _ => BTreeSet::new(),
    };
    let (mut images, mut left_out) = (Vec::new(), Vec::new());
    // A group is called by the least digest in it, so that its name depends on the content alone.
    let mut names: HashMap<u32, Digest> = HashMap::new();
    let mut unit_of = Vec::new();
    for (index, record) in catalog.records.iter().enumerate() {
        let (measured, class) = match (&record.outcome, &record.place.label) {
            (Outcome::SetAside(_), _) => {
                left_out.push((record, LeftOut::SetAside));
                continue;
            }
            (Outcome::Image(measured), Label::Class(class)) => (measured, class),
            (Outcome::Image(_), _) => {
                left_out.push((record, LeftOut::NoClass));
                continue;
            }
        };
        let digest = measured.digest;
        let number = of_record[&index];
        let is_kept = request.earlier.as_ref().is_some_and(|e| e.part(digest).is_some());
        if conflicts.contains(&number) && !is_kept {
            left_out.push((record, LeftOut::LabelConflict));
            continue;
        }
        let unit = units.unit(number as usize);
        let name = names.entry(unit).or_insert(digest);
        *name = digest.min(*name);
        unit_of.push(unit);
        let (group, part) = (GroupId(digest), 0);
        images.push(Assigned { record, measured, index, class, digest, group, part });
    }
    for (image, unit) in images.iter_mut().zip(unit_of) {
        image.group = GroupId(names[&unit]);
    }
    Ok(Eligible { images, left_out })
}

/// The numbers of images of which a copy is under another class.
fn conflicting(found: &DuplicateReport<'_>) -> BTreeSet<u32> {
    let groups = found.groups.iter();
    let groups = groups.filter(|group| group.kind.is_duplicate() && group.label_conflict);
    groups.flat_map(|group| group.members.iter().map(|member| member.image)).collect()
}

/// What is never parted.
fn units(
    found: &DuplicateReport<'_>,
    together: &GroupingRules,
) -> Result<IndependentGroups, SplitError> {
    let mut keys: BTreeMap<String, Vec<u32>> = BTreeMap::new();
    for (at, pattern) in together.patterns.iter().enumerate() {
        let before = keys.len();
        for (number, image) in (0u32..).zip(&found.images) {
            if let Some(matched) = pattern.matches(image.record.path.as_str()) {
                let values: Vec<&str> = matched.into_iter().map(|(_, value)| value).collect();
                let key = format!("pattern\0{at}\0{}", values.join("\0"));
                keys.entry(key).or_default().push(number);
            }
        }
        if keys.len() == before {
            return Err(SplitError::PatternUnmatched(pattern.to_string()));
        }
    }
    if together.folder {
        for (number, image) in (0u32..).zip(&found.images) {
            keys.entry(format!("folder\0{}", image.record.path.folder())).or_default().push(number);
        }
    }
    // What may be a copy is kept together with what are.
    let is_joined = |pair: &&Pair| {
        together.copies && pair.may_be_copies() || together.variants && pair.kind.is_variant()
    };
    let pairs: Vec<[u32; 2]> =
        found.pairs.iter().filter(is_joined).map(|pair| [pair.a, pair.b]).collect();
    let keys = keys.values().map(Vec::as_slice).chain(pairs.iter().map(<[u32; 2]>::as_slice));
    Ok(IndependentGroups::joined_by_keys(found, together.copies, keys))
}
