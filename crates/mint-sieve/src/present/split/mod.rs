//! The answer of `split`, and the split table.

mod chart;
mod class_table;
mod json;
mod text;

pub use chart::chart;
pub use class_table::class_table;

use std::collections::{BTreeMap, HashMap};

use sieve_core::catalog::Catalog;
use sieve_core::duplicates::{DuplicateReport, Group};
use sieve_core::splitting::{
    Assigned, Assignment, ClassCounts, GroupId, LeftOut, Request, SplitViolation, SplitWriter,
};

use crate::config::CollectionConfig;
use crate::present::table::Table;
use crate::present::{Reply, TableReply};
use crate::requests::SplitRequest;

/// Everything that the answer reports.
pub struct Split<'a> {
    /// How it was requested.
    pub asked: &'a SplitRequest,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What was asked for.
    pub request: &'a Request,
    /// The collection.
    pub catalog: &'a Catalog,
    /// What goes together in it.
    pub found: &'a DuplicateReport<'a>,
    /// What came of it.
    pub assignment: &'a Assignment<'a>,
    /// What belongs together and is in different parts all the same.
    pub violations: &'a [SplitViolation],
    /// Images whose names no folder can hold: the numbers of their records, and the reasons.
    pub skipped: &'a [(usize, String)],
}

impl Split<'_> {
    /// The classes with what each part got of them.
    fn class_table(&self, all: bool) -> Table {
        let Assignment { classes, requested, .. } = self.assignment;
        class_table(self.request.parts.names(), classes, requested, all)
    }

    /// What writes its tables.
    pub fn writer(&self) -> SplitWriter<'_> {
        SplitWriter {
            assignment: self.assignment,
            parts: self.request.parts.names(),
            extra: &self.catalog.collection.extra,
        }
    }

    /// The groups of several images, in the order of their first paths.
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

    /// The groups of copies that are under more than one class: their paths, and the group of the split that they are in,
    /// if they take part.
    fn conflicts(&self) -> Vec<(Option<GroupId>, Vec<&str>)> {
        let groups: HashMap<&str, GroupId> = self
            .assignment
            .images
            .iter()
            .map(|image| (image.record.path.as_str(), image.group))
            .collect();
        let those = |group: &Group| {
            let records =
                group.members.iter().map(|one| self.found.images[one.image as usize].record);
            let records = records.filter(|record| record.class().is_some());
            let mut paths: Vec<&str> = records.map(|record| record.path.as_str()).collect();
            paths.sort_unstable();
            (paths.iter().find_map(|path| groups.get(path)).copied(), paths)
        };
        let reported = self.found.groups.iter();
        let reported = reported.filter(|group| group.kind.is_duplicate() && group.label_conflict);
        let mut conflicts: Vec<_> = reported.map(those).collect();
        conflicts.sort_by(|a, b| a.1.cmp(&b.1));
        conflicts
    }

    /// The images that were in a split other than the first part and are now in another, with both.
    fn moved_out(&self) -> Vec<(&Assigned<'_>, &str, &str)> {
        let names = self.request.parts.names();
        let moved = self.assignment.images.iter().filter_map(|image| {
            let (before, after) = (image.record.split()?, names[image.part].as_str());
            (before != names[0] && before != after).then_some((image, before, after))
        });
        moved.collect()
    }

    /// The class and part that are furthest from what was asked for, in shares of the class.
    fn worst(&self) -> Option<(&ClassCounts, usize)> {
        let off = |class: &ClassCounts, part: usize| {
            (class.got[part] as f64 - class.requested[part]).abs() / class.images.max(1) as f64
        };
        let classes = self.assignment.classes.iter();
        let cells = classes.flat_map(|class| (0..class.got.len()).map(move |part| (class, part)));
        cells.max_by(|a, b| off(a.0, a.1).total_cmp(&off(b.0, b.1)).then(b.0.class.cmp(&a.0.class)))
    }
}

impl Reply for Split<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        json::json(self)
    }
}

impl TableReply for Split<'_> {
    fn csv(&self) -> String {
        let table = self.writer().table(self.asked.folds.is_some());
        String::from_utf8(table).expect("paths are written as text")
    }
}
