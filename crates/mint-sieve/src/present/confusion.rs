//! Which classes predictions take for which, as a table.

use sieve_core::confusion::Confusion;

use super::cells::{percent, shortened, visible};
use super::table::Table;
use crate::console::Align;

/// Classes whose matrix fits a terminal; of more, the most confused pairs are listed.
const MOST_CLASSES: usize = 12;
/// Pairs that are listed without `--all`.
const MOST_PAIRS: usize = 16;

/// The matrix where it fits: one row for each class, with its numbers, one column for each prediction. Otherwise the most
/// confused pairs. None where nothing is confused and the matrix does not fit.
pub fn table(classes: &[String], confusion: &Confusion, all: bool) -> Option<Table> {
    if classes.len() <= MOST_CLASSES {
        return Some(matrix(classes, confusion));
    }
    pairs(classes, confusion, all)
}

fn matrix(classes: &[String], confusion: &Confusion) -> Table {
    let mut columns = vec![Align::Left];
    columns.extend(vec![Align::Right; classes.len() + 2]);
    let mut head = vec!["class".to_owned(), "images".to_owned(), "right".to_owned()];
    head.extend((1..=classes.len()).map(|number| number.to_string()));
    let row = |class: usize| {
        let mut row = vec![
            format!("{} {}", class + 1, visible(&classes[class])),
            confusion.of_class(class).to_string(),
            confusion.score(class).recall.map_or("-".to_owned(), |recall| percent(recall.share)),
        ];
        row.extend((0..classes.len()).map(|other| match confusion.count(class, other) {
            0 => "·".to_owned(),
            count => count.to_string(),
        }));
        row
    };
    let rows = std::iter::once(head).chain((0..classes.len()).map(row)).collect();
    Table::new(&columns, rows)
}

fn pairs(classes: &[String], confusion: &Confusion, all: bool) -> Option<Table> {
    let confused = confusion.confused();
    if confused.is_empty() {
        return None;
    }
    let head = ["class", "predicted", "images", "share of class", "the other way"];
    let rows = confused.iter().map(|one| {
        let (class, predicted) = (one.class as usize, one.predicted as usize);
        vec![
            visible(&classes[class]),
            visible(&classes[predicted]),
            format!("{} of {}", one.images, confusion.of_class(class)),
            percent(one.images as f64 / confusion.of_class(class) as f64),
            confusion.count(predicted, class).to_string(),
        ]
    });
    let mut rows: Vec<Vec<String>> = rows.collect();
    // The most confused stand first: what is left out is at the end, not in the middle.
    if !all && rows.len() > MOST_PAIRS + 2 {
        let more = rows.len() - MOST_PAIRS;
        rows.truncate(MOST_PAIRS);
        rows.push(vec![format!("... {more} more (--all)")]);
    }
    let rows = [vec![head.map(str::to_owned).to_vec()], shortened(rows, usize::MAX, true)].concat();
    let columns = [Align::Left, Align::Left, Align::Right, Align::Right, Align::Right];
    Some(Table::new(&columns, rows))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn few_classes_are_a_matrix_and_many_are_pairs() {
        let pairs = [(0, 0), (0, 1), (1, 1), (1, 1), (2, 0)];
        let names = |count: usize| (0..count).map(|at| format!("herb {at}")).collect::<Vec<_>>();
        let small = table(&names(3), &Confusion::new(3, pairs), false).unwrap();
        insta::assert_snapshot!(small.markdown(), @r"
        | class | images | right | 1 | 2 | 3 |
        |---|---:|---:|---:|---:|---:|
        | 1 herb 0 | 2 | 50.0% | 1 | 1 | · |
        | 2 herb 1 | 2 | 100.0% | · | 2 | · |
        | 3 herb 2 | 1 | 0.0% | 1 | · | · |
        ");
        let large = table(&names(20), &Confusion::new(20, pairs), false).unwrap();
        insta::assert_snapshot!(large.markdown(), @r"
        | class | predicted | images | share of class | the other way |
        |---|---|---:|---:|---:|
        | herb 0 | herb 1 | 1 of 2 | 50.0% | 0 |
        | herb 2 | herb 0 | 1 of 1 | 100.0% | 0 |
        ");
        assert!(table(&names(20), &Confusion::new(20, [(0, 0)]), false).is_none());
    }
}
