//! What each class gets of each part of a split, in `split` and in the report.

use sieve_core::splitting::{Assignment, Request};

use crate::console::Align;
use crate::present::cells::{MOST_ROWS, percent, shortened, visible};
use crate::present::table::Table;

/// Images that each part got.
pub fn totals(assignment: &Assignment<'_>, parts: usize) -> Vec<u64> {
    let of = |part: usize| assignment.classes.iter().map(|class| class.got[part]).sum();
    (0..parts).map(of).collect()
}

/// The classes, largest first, beside the number of images that was requested for each part.
pub fn class_table(request: &Request, assignment: &Assignment<'_>, all: bool) -> Table {
    let names = request.parts.names();
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
    let mut classes: Vec<_> = assignment.classes.iter().collect();
    classes.sort_by_key(|class| std::cmp::Reverse(class.images));
    let classes = classes
        .iter()
        .map(|class| row(visible(&class.class), class.images, &class.got, &class.requested));
    let mut rows = vec![head];
    rows.extend(shortened(classes.collect(), MOST_ROWS, all));
    let images = assignment.images.len() as u64;
    let totals = totals(assignment, names.len());
    rows.push(row("(all)".into(), images, &totals, &assignment.requested));
    let mut share_row = vec!["(share)".to_owned(), String::new()];
    for total in totals {
        share_row.extend([percent(total as f64 / images as f64), String::new()]);
    }
    rows.push(share_row);
    Table::new(&columns, rows).captioned("Images of each class and part")
}
