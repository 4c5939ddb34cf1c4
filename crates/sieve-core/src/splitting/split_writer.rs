//! The tables of a split, as they are written: the split table, a list for each fold, the number of each class.

use std::borrow::Cow;

use super::assign::Assignment;
use super::groups::Assigned;
use crate::collection::{CLASS_INDEX_COLUMNS, SPLIT_COLUMNS};
use crate::csv_escape::{guarded, of_path};

/// Writes the tables of a split.
#[derive(Clone, Copy)]
pub struct SplitWriter<'a> {
    /// The split.
    pub assignment: &'a Assignment<'a>,
    /// The names of its parts.
    pub parts: &'a [String],
    /// The names of further columns of the collection's table, whose values are carried along.
    pub extra: &'a [String],
}

impl SplitWriter<'_> {
    /// The split table: one row for each image that takes part, in the order of their paths; with folds, the number of each.
    pub fn table(&self, with_folds: bool) -> Vec<u8> {
        let fold = |image: &Assigned<'_>| with_folds.then(|| (image.part + 1).to_string());
        self.rows(&|image| &self.parts[image.part], &fold)
    }

    /// The table of a run that holds out one fold, from 0.
    pub fn fold_list(&self, fold: usize) -> Vec<u8> {
        let part = |image: &Assigned<'_>| if image.part == fold { "validation" } else { "train" };
        self.rows(&part, &|_| None)
    }

    /// The number of each class, in the order of the bytes of its name, as a sorted listing of folders gives it; and its
    /// images in each part.
    pub fn class_index(&self) -> Vec<u8> {
        let parts = self.parts.iter().map(String::as_str);
        let mut table = csv::Writer::from_writer(Vec::new());
        put(&mut table, CLASS_INDEX_COLUMNS.into_iter().chain(parts));
        for (index, class) in self.assignment.classes.iter().enumerate() {
            let numbers: Vec<String> = class.got.iter().map(u64::to_string).collect();
            let numbers = numbers.iter().map(String::as_str);
            put(&mut table, [index.to_string().as_str(), &class.class].into_iter().chain(numbers));
        }
        table.into_inner().expect("memory takes what is written")
    }

    fn rows<'s>(
        &'s self,
        part: &dyn Fn(&Assigned<'_>) -> &'s str,
        fold: &dyn Fn(&Assigned<'_>) -> Option<String>,
    ) -> Vec<u8> {
        let mut table = csv::Writer::from_writer(Vec::new());
        let images = &self.assignment.images;
        let with_folds = images.first().is_some_and(|image| fold(image).is_some());
        let head = SPLIT_COLUMNS.into_iter().chain(with_folds.then_some("fold"));
        put(&mut table, head.chain(self.extra.iter().map(String::as_str)));
        for image in images {
            let (path, digest) = (of_path(&image.record.path), image.digest.to_string());
            let (group, fold) = (image.group.to_string(), fold(image));
            let row = [path.as_str(), image.class, part(image), &group, &digest];
            let extra = image.record.place.extra.as_ref();
            let value = |index: usize| extra.and_then(|extra| extra.values.get(index));
            let values = (0..self.extra.len()).map(|at| value(at).map_or("", String::as_str));
            put(&mut table, row.into_iter().chain(fold.as_deref()).chain(values));
        }
        table.into_inner().expect("memory takes what is written")
    }
}

/// Writes one row, in which a spreadsheet runs nothing.
fn put<'c>(table: &mut csv::Writer<Vec<u8>>, cells: impl Iterator<Item = &'c str>) {
    let cells: Vec<Cow<'_, str>> = cells.map(guarded).collect();
    table
        .write_record(cells.iter().map(|cell| cell.as_bytes()))
        .expect("memory takes what is written");
}
