//! The medians of the measures of each class, as the report shows them.

use std::collections::BTreeMap;

use sieve_core::catalog::Catalog;
use sieve_core::measuring::Measured;
use sieve_core::statistics::median;

use crate::console::Align;
use crate::present::cells::{percent, visible};
use crate::present::chart::Written;
use crate::present::table::Table;

/// The medians of the measures of each class.
pub fn median_table(catalog: &Catalog) -> Table {
    type Number = (fn(&Measured) -> f64, Written);
    let share: Written = |value| percent(value);
    let numbers: [Number; 6] = [
        (|image| f64::from(image.measures.brightness), share),
        (|image| f64::from(image.measures.contrast), share),
        (|image| f64::from(image.measures.sharpness), |value| format!("{value:.3}")),
        (|image| f64::from(image.measures.saturation), share),
        (|image| f64::from(image.facts.width_px), |value| format!("{value:.0}")),
        (|image| f64::from(image.facts.height_px), |value| format!("{value:.0}")),
    ];
    let mut classes: BTreeMap<&str, Vec<&Measured>> = Default::default();
    for (record, image) in catalog.images() {
        if let Some(class) = record.class() {
            classes.entry(class).or_default().push(image);
        }
    }
    let rows = classes.iter().map(|(class, images)| {
        let middle = |(number, written): &Number| {
            let value = median(images.iter().map(|image| number(image)));
            value.map_or(String::new(), written)
        };
        let mut row = vec![visible(class)];
        row.extend(numbers.iter().map(middle));
        row
    });
    let head = ["class", "brightness", "contrast", "sharpness", "saturation", "width", "height"];
    let head = head.map(str::to_owned).to_vec();
    let columns = [[Align::Left; 1].as_slice(), &[Align::Right; 6]].concat();
    Table::new(&columns, std::iter::once(head).chain(rows).collect())
        .captioned("Medians of each class")
}
