//! Does every image lie in a class folder?

use std::collections::BTreeMap;

use crate::catalog::Catalog;
use crate::collection::Label;
use crate::finding::{Code, Finding};
use crate::record::Record;

/// One finding for each folder that holds images beside the class folders.
pub fn placement(catalog: &Catalog) -> Vec<Finding> {
    let mut by_split: BTreeMap<Option<&str>, Vec<&Record>> = BTreeMap::new();
    for (record, _) in catalog.images() {
        if record.place.label == Label::Outside {
            by_split.entry(record.split()).or_default().push(record);
        }
    }
    by_split
        .into_iter()
        .map(|(split, records)| {
            let place = split.map_or("the root".to_owned(), |split| format!("the {split} split"));
            let message = match records.as_slice() {
                [one] => format!("{}: not in a class folder of {place}", one.path),
                many => format!("{} images are not in a class folder of {place}", many.len()),
            };
            Finding::new(Code::OutsideClass, message)
                .about(None, split)
                .images(records.iter().map(|record| &record.path))
                .evidence("images", records.len())
        })
        .collect()
}
