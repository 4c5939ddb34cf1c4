//! DUPLICATES: pictures that are there more than once.
//!
//! 1. Files with the same bytes, by their digests; one of them stands for all from here on.
//! 2. Files with the same pixels: those whose fingerprints meet are decoded and compared.
//! 3. Candidates: pictures whose fingerprints meet, and, at wide reach, pictures of which some view
//!    looks like a view of another, found by a forest over short vectors.
//! 4. Each candidate is laid over the other and weighed ([`crate::likeness`]).
//! 5. What lies close together in time or name and looks alike is a burst.
//! 6. Pairs make groups; chains are cut.

mod alike;
mod burst;
mod candidates;
mod find;
mod forest;
mod grouping;
mod kind;
mod meeting;
mod pixels;
mod subjects;
mod verify;

pub use alike::{Alike, nearest};
pub use candidates::{Candidate, wide as wide_candidates};
pub use find::{Found, Group, Member, Pair, Reach, Request, Why, Within, find};
pub use kind::Kind;
pub use meeting::{RADIUS_BITS, meet};
pub use subjects::{Picture, Side};

use std::collections::HashMap;

use crate::catalog::{Catalog, Record};
use crate::measuring::Digest;

/// Pictures whose files hold the same bytes.
#[derive(Debug)]
pub struct SameBytes<'a> {
    /// Digest of the bytes.
    pub digest: Digest,
    /// The files, two or more, in the order of their paths.
    pub members: Vec<&'a Record>,
}

impl SameBytes<'_> {
    /// The classes of the members, sorted, each once. A member outside of any class has none.
    pub fn classes(&self) -> Vec<&str> {
        sorted(self.members.iter().filter_map(|record| record.class()))
    }

    /// The splits of the members, sorted, each once.
    pub fn splits(&self) -> Vec<&str> {
        sorted(self.members.iter().filter_map(|record| record.split()))
    }
}

fn sorted<'a>(names: impl Iterator<Item = &'a str>) -> Vec<&'a str> {
    let mut names: Vec<&str> = names.collect();
    names.sort_unstable();
    names.dedup();
    names
}

/// The groups of pictures with the same bytes, in the order of their first paths. Linear in the
/// number of pictures.
pub fn same_bytes(catalog: &Catalog) -> Vec<SameBytes<'_>> {
    let mut by_digest: HashMap<Digest, Vec<&Record>> = HashMap::new();
    for (record, measured) in catalog.images() {
        by_digest.entry(measured.digest).or_default().push(record);
    }
    let mut groups: Vec<SameBytes<'_>> = by_digest
        .into_iter()
        .filter(|(_, members)| members.len() > 1)
        .map(|(digest, members)| SameBytes { digest, members })
        .collect();
    groups.sort_by(|a, b| a.members[0].path.cmp(&b.members[0].path));
    groups
}
