//! The proof: what a split has not kept together.

use super::assign::Assignment;
use crate::duplicates::{DuplicateReport, Kind};
use crate::independent::declared;

/// Two images that belong together and are in different parts.
#[derive(Clone, Debug, PartialEq)]
pub struct SplitViolation {
    /// The numbers of both in [`DuplicateReport::images`].
    pub images: [u32; 2],
    /// In which way they go together; none for a group that a table or name declares.
    pub kind: Option<Kind>,
}

/// What `found` knows to belong together and `assignment` has put into different parts, pair by pair: as `leakage` would
/// find it.
pub fn violations(assignment: &Assignment<'_>, found: &DuplicateReport<'_>) -> Vec<SplitViolation> {
    let part = |number: u32| assignment.part_of(found.images[number as usize].index);
    let is_crossing = |a: u32, b: u32| part(a).is_some() && part(b).is_some() && part(a) != part(b);
    let pairs = found.pairs.iter().filter(|pair| pair.kind.is_dependent());
    let pairs = pairs.map(|pair| (pair.a, pair.b, Some(pair.kind)));
    let members = found.groups.iter().filter(|group| group.kind.is_duplicate()).flat_map(|group| {
        let first = group.members[0].image;
        group.members.iter().skip(1).map(move |member| (first, member.image, Some(group.kind)))
    });
    let declared: Vec<(u32, u32, Option<Kind>)> = declared(found)
        .into_values()
        .flat_map(|group| group.windows(2).map(|two| (two[0], two[1], None)).collect::<Vec<_>>())
        .collect();
    let mut violations: Vec<SplitViolation> = pairs
        .chain(members)
        .chain(declared)
        .filter(|&(a, b, _)| is_crossing(a, b))
        .map(|(a, b, kind)| SplitViolation { images: [a.min(b), a.max(b)], kind })
        .collect();
    violations.sort_by_key(|crossing| crossing.images);
    violations.dedup_by_key(|crossing| crossing.images);
    violations
}
