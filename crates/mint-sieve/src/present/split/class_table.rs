//! What each class gets of each part of a split, in `split` and in the report.

use sieve_core::splitting::ClassCounts;

use crate::console::Align;
use crate::present::cells::{MOST_ROWS, percent, shortened, visible};
use crate::present::table::Table;

/// Images that each part got.
pub fn totals(classes: &[ClassCounts], parts: usize) -> Vec<u64> {
    let of = |part: usize| classes.iter().map(|class| class.got[part]).sum();
    (0..parts).map(of).collect()
}

/// The classes, largest first, beside the number of images that was requested for each part; `requested` is that of all.
pub fn class_table(
    names: &[String],
    counts: &[ClassCounts],
    requested: &[f64],
    all: bool,
) -> Table {
    let mut columns = vec![Align::Left, Align::Right];
    let mut head = vec!["class".to_owned(), "images".to_owned()];
    for name in names {
        columns.extend([Align::Right, Align::Right]);
        head.extend([name.clone(), "requested".to_owned()]);
    }
    let row = |name: String, images: u64, got: &[u64], requested: &[f64]| {
        let mut row = vec![name, images.to_string()];
        for (got, requested) in got.iter().zip(requested) {
            row.extend([got.to_string(), format!("{requested:.1}")]);
        }
        row
    };
    let mut classes: Vec<_> = counts.iter().collect();
    classes.sort_by_key(|class| std::cmp::Reverse(class.images));
    let classes = classes
        .iter()
        .map(|class| row(visible(&class.class), class.images, &class.got, &class.requested));
    let mut rows = vec![head];
    rows.extend(shortened(classes.collect(), MOST_ROWS, all));
    let images = counts.iter().map(|class| class.images).sum();
    let totals = totals(counts, names.len());
    rows.push(row("(all)".into(), images, &totals, requested));
    let mut share_row = vec!["(share)".to_owned(), String::new()];
    for total in totals {
        share_row.extend([percent(total as f64 / images as f64), String::new()]);
    }
    rows.push(share_row);
    Table::new(&columns, rows).captioned("Images of each class and part")
}
