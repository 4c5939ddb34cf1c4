//! The answer of `split`, and the split table.

mod json;
mod table;
mod text;

pub use json::json;
pub use table::table;
pub use text::text;

use std::collections::BTreeMap;

use sieve_core::catalog::Catalog;
use sieve_core::measuring::Digest;
use sieve_core::splitting::{Assigned, Assignment, GroupId, LeftOut, Request};

use crate::args::SplitArgs;

/// Everything that the answer tells of.
pub struct Split<'a> {
    /// What was typed.
    pub args: &'a SplitArgs,
    /// What was asked for.
    pub request: &'a Request,
    /// The collection.
    pub catalog: &'a Catalog,
    /// What came of it.
    pub assignment: &'a Assignment<'a>,
}

impl Split<'_> {
    /// The groups of several pictures, in the order of their first paths.
    fn clumps(&self) -> Vec<Vec<&Assigned<'_>>> {
        let mut groups: BTreeMap<GroupId, Vec<&Assigned<'_>>> = BTreeMap::new();
        for image in &self.assignment.images {
            groups.entry(image.group).or_default().push(image);
        }
        let mut clumps: Vec<Vec<&Assigned<'_>>> =
            groups.into_values().filter(|group| group.len() > 1).collect();
        clumps.sort_by_key(|group| &group[0].record.path);
        clumps
    }

    /// How many files were left out for `why`.
    fn left_out(&self, why: LeftOut) -> u64 {
        self.assignment.left_out.iter().filter(|(_, reason)| *reason == why).count() as u64
    }

    /// Pictures that each part got.
    fn totals(&self) -> Vec<u64> {
        let parts = self.request.parts.names().len();
        let of = |part: usize| self.assignment.classes.iter().map(|class| class.got[part]).sum();
        (0..parts).map(of).collect()
    }
}

/// The files of a group that hold the same bytes under more than one class. Different pictures that a table or a
/// name puts together may well be of several classes.
fn conflicts<'a>(group: &[&'a Assigned<'a>]) -> Vec<Vec<&'a Assigned<'a>>> {
    let mut by_digest: BTreeMap<Digest, Vec<&Assigned<'_>>> = BTreeMap::new();
    group.iter().for_each(|image| by_digest.entry(image.digest).or_default().push(image));
    let differ = |same: &Vec<&Assigned<'_>>| same.iter().any(|image| image.class != same[0].class);
    by_digest.into_values().filter(differ).collect()
}
