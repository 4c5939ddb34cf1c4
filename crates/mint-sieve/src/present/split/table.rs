//! The tables of a split: the split table with the columns path, class, split, group, digest and what was carried along;
//! the numbers of the classes; a list for each fold.

use std::borrow::Cow;

use sieve_core::collection::SPLIT_TABLE_HEADER;
use sieve_core::csv_escape::{guarded, of_path};
use sieve_core::splitting::Assigned;

use super::Split;
use crate::present::table::written;

/// One row for each image that takes part, in the order of their paths; with folds, the number of each.
pub fn table(split: &Split<'_>) -> Vec<u8> {
    let names = split.request.parts.names();
    let fold = |image: &Assigned<'_>| split.asked.folds.map(|_| (image.part + 1).to_string());
    rows(split, &|image| names[image.part].clone(), &fold)
}

/// For each fold, its name and the table of a run that holds it out.
pub fn fold_lists(split: &Split<'_>) -> Vec<(String, Vec<u8>)> {
    let folds = split.asked.folds.unwrap_or(0) as usize;
    let list = |fold: usize| {
        let part = |image: &Assigned<'_>| match image.part == fold {
            true => "validation".to_owned(),
            false => "train".to_owned(),
        };
        (format!("fold-{}.csv", fold + 1), rows(split, &part, &|_| None))
    };
    (0..folds).map(list).collect()
}

fn rows(
    split: &Split<'_>,
    part: &dyn Fn(&Assigned<'_>) -> String,
    fold: &dyn Fn(&Assigned<'_>) -> Option<String>,
) -> Vec<u8> {
    let mut table = csv::Writer::from_writer(Vec::new());
    let images = &split.assignment.images;
    let names = &split.catalog.collection.extra;
    let with_folds = images.first().is_some_and(|image| fold(image).is_some());
    let head = SPLIT_TABLE_HEADER.split(',').map(Cow::Borrowed);
    let head = head.chain(with_folds.then_some(Cow::Borrowed("fold")));
    let head = head.chain(names.iter().map(|name| guarded(name)));
    table.write_record(head.map(|name| name.into_owned())).expect("memory takes what is written");
    for image in images {
        let (path, digest) = (of_path(&image.record.path), image.digest.to_string());
        let (group, part, fold) = (image.group.to_string(), part(image), fold(image));
        let row = [&path, image.class, &part, &group, &digest];
        let extra = image.record.place.extra.as_ref();
        let value = |index: usize| extra.and_then(|extra| extra.values.get(index));
        let values = (0..names.len()).map(|index| value(index).map_or("", String::as_str));
        let row = row.into_iter().chain(fold.as_deref()).chain(values);
        let cells = row.map(|cell| guarded(cell).into_owned());
        table.write_record(cells).expect("memory takes what is written");
    }
    table.into_inner().expect("memory takes what is written")
}

/// The number of each class: in the order of the bytes of its name, as a sorted listing of folders gives it.
pub fn class_index(split: &Split<'_>) -> Vec<u8> {
    let names = split.request.parts.names();
    let mut head = vec!["index", "class"];
    head.extend(names.iter().map(String::as_str));
    let classes = split.assignment.classes.iter().enumerate();
    let rows = classes.map(|(index, class)| {
        let mut row = vec![index.to_string(), class.class.clone()];
        row.extend(class.got.iter().map(u64::to_string));
        row
    });
    written(&head, rows).into_bytes()
}
