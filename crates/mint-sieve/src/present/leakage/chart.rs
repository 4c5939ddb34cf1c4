//! `leakage` as a chart: what tells the splits apart, when they were taken too.

use sieve_core::catalog::Catalog;
use sieve_core::measuring::Measured;

use crate::present::chart::{Strips, measure_strips};

/// How measures and times are spread in each split.
pub fn chart(catalog: &Catalog) -> Strips {
    let of = |split: &String| {
        let images = catalog.images().filter(|(record, _)| record.split() == Some(split));
        (split.clone(), images.map(|(_, image)| image).collect::<Vec<&Measured>>())
    };
    let title = format!("{}: measures by split", catalog.collection.name());
    measure_strips(title, "split", catalog.collection.splits.iter().map(of).collect())
}
