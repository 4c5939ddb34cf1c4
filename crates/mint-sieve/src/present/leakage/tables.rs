//! The tables of `leakage` that the report shows as well.

use sieve_core::duplicates::DuplicateReport;
use sieve_core::leakage::{ClassOverlap, Leakage};

use crate::console::Align;
use crate::present::cells::{percent, shortened, visible};
use crate::present::table::Table;

/// Classes that are named for two splits, without `all`.
const MOST_CLASSES: usize = 4;

/// For two splits, how much of the one is in the other.
pub fn split_table(leakage: &Leakage, all: bool) -> Table {
    let head = ["images", "with a copy or burst frame in", "share", "how", "by class"];
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    for summary in &leakage.split_pairs {
        let kinds =
            summary.by_reason.iter().map(|(reason, images)| format!("{} {images}", reason.name()));
        let most = if all { usize::MAX } else { MOST_CLASSES };
        let class = |class: &ClassOverlap| {
            format!("{} {} of {}", visible(&class.class), class.matched, class.images)
        };
        let mut classes: Vec<String> = summary.classes.iter().take(most).map(class).collect();
        if summary.classes.len() > most {
            classes.push(format!("{} more", summary.classes.len() - most));
        }
        rows.push(vec![
            format!("{} of {} {} images", summary.matched, summary.images, summary.split),
            summary.within.clone(),
            percent(summary.share()),
            kinds.collect::<Vec<_>>().join(", "),
            classes.join(", "),
        ]);
    }
    let columns = [Align::Left, Align::Left, Align::Right, Align::Left, Align::Left];
    Table::new(&columns, rows).captioned("Images shared between splits")
}

/// The pairs across splits, at most `most` of them.
pub fn pair_table(leakage: &Leakage, found: &DuplicateReport<'_>, most: usize) -> Table {
    let record = |image: u32| found.images[image as usize].record;
    let rows = leakage.cross_split_pairs.iter().map(|pair| {
        let (a, b) = (record(pair.a), record(pair.b));
        vec![
            a.path_in_split(),
            b.path_in_split(),
            pair.reason.name().to_owned(),
            format!("{:.3}", pair.score),
            if a.class() == b.class() { String::new() } else { "other class".to_owned() },
        ]
    });
    let head = ["image", "matched with", "kind", "score", ""].map(str::to_owned).to_vec();
    let rows = [vec![head], shortened(rows.collect(), most, most == usize::MAX)].concat();
    let columns = [Align::Left, Align::Left, Align::Left, Align::Right, Align::Left];
    Table::new(&columns, rows)
}
