//! The answer of `split`, and the split table.

mod json;
mod table;
mod text;

pub use json::json;
pub use table::table;
pub use text::text;

use std::collections::{BTreeMap, HashMap};

use sieve_core::catalog::Catalog;
use sieve_core::duplicates::{Found, Group};
use sieve_core::splitting::{Assigned, Assignment, GroupId, LeftOut, Request};

use crate::args::SplitArgs;
use crate::config::CollectionConfig;

/// Everything that the answer tells of.
pub struct Split<'a> {
    /// What was typed.
    pub args: &'a SplitArgs,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What was asked for.
    pub request: &'a Request,
    /// The collection.
    pub catalog: &'a Catalog,
    /// What goes together in it.
    pub found: &'a Found<'a>,
    /// What came of it.
    pub assignment: &'a Assignment<'a>,
}

impl Split<'_> {
    /// The groups of several pictures, in the order of their first paths.
    fn multi_image_groups(&self) -> Vec<Vec<&Assigned<'_>>> {
        let mut groups: BTreeMap<GroupId, Vec<&Assigned<'_>>> = BTreeMap::new();
        for image in &self.assignment.images {
            groups.entry(image.group).or_default().push(image);
        }
        let mut multi_image_groups: Vec<Vec<&Assigned<'_>>> =
            groups.into_values().filter(|group| group.len() > 1).collect();
        multi_image_groups.sort_by_key(|group| &group[0].record.path);
        multi_image_groups
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

    /// The groups of copies that are under more than one class, each with the group of the split that it is in.
    /// Different pictures that belong together otherwise may well be of several classes.
    fn conflicts(&self) -> Vec<(GroupId, Vec<&Assigned<'_>>)> {
        let assigned: HashMap<&str, &Assigned<'_>> = self
            .assignment
            .images
            .iter()
            .map(|image| (image.record.path.as_str(), image))
            .collect();
        let those = |group: &Group| -> Option<(GroupId, Vec<&Assigned<'_>>)> {
            let records =
                group.members.iter().map(|one| self.found.images[one.image as usize].record);
            let mut images: Vec<&Assigned<'_>> =
                records.filter_map(|record| assigned.get(record.path.as_str()).copied()).collect();
            images.sort_by_key(|image| &image.record.path);
            Some((images.first()?.group, images))
        };
        let told = self.found.groups.iter();
        let mut conflicts: Vec<_> = told
            .filter(|group| group.kind.is_duplicate() && group.label_conflict)
            .filter_map(those)
            .collect();
        conflicts.sort_by_key(|(_, images)| &images[0].record.path);
        conflicts
    }
}
