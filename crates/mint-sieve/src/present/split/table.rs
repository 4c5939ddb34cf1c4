//! The split table: CSV with the columns path, class, split, group, digest, and what was carried along.

use std::borrow::Cow;

use sieve_core::catalog::Catalog;
use sieve_core::cell::{guarded, of_path};
use sieve_core::collection::SPLIT_TABLE_HEADER;
use sieve_core::splitting::Assignment;

/// One row for each picture that takes part, in the order of their paths.
pub fn table(catalog: &Catalog, assignment: &Assignment<'_>, parts: &[String]) -> Vec<u8> {
    let mut table = csv::Writer::from_writer(Vec::new());
    let names = &catalog.collection.extra;
    let head = SPLIT_TABLE_HEADER.split(',').map(Cow::Borrowed);
    let head = head.chain(names.iter().map(|name| guarded(name)));
    table.write_record(head.map(|name| name.into_owned())).expect("memory takes what is written");
    for image in &assignment.images {
        let (path, digest) = (of_path(&image.record.path), image.digest.to_string());
        let group = image.group.to_string();
        let row = [&path, image.class, &parts[image.part], &group, &digest];
        let extra = image.record.place.extra.as_ref();
        let value = |index: usize| extra.and_then(|extra| extra.values.get(index));
        let values = (0..names.len()).map(|index| value(index).map_or("", String::as_str));
        let cells = row.into_iter().chain(values).map(|cell| guarded(cell).into_owned());
        table.write_record(cells).expect("memory takes what is written");
    }
    table.into_inner().expect("memory takes what is written")
}
