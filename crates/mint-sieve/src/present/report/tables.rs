//! The tables of the page.

use serde::Serialize;
use sieve_core::balance::ASSUMED_ACCURACY;
use sieve_core::measuring::Measured;
use sieve_core::splitting::{Assignment, Request};

use super::Report;
use crate::console::safe;
use crate::present::chart::Written;
use crate::present::table::{percent, visible};

/// Rows of the table of leaked pairs.
const MOST_PAIRS: usize = 300;

/// A table; its first column names the rows.
#[derive(Serialize)]
pub struct Table {
    pub caption: String,
    pub head: Vec<Head>,
    pub rows: Vec<Vec<String>>,
    /// Rows that were left out.
    pub more: usize,
}

/// The head of a column.
#[derive(Serialize)]
pub struct Head {
    pub name: String,
    pub is_number: bool,
}

impl Table {
    /// Columns whose names begin with `#` hold numbers.
    fn new(caption: &str, head: &[&str], rows: Vec<Vec<String>>) -> Option<Self> {
        let head = head.iter().map(|name| match name.strip_prefix('#') {
            Some(name) => Head { name: name.to_owned(), is_number: true },
            None => Head { name: (*name).to_owned(), is_number: false },
        });
        let rows: Vec<Vec<String>> =
            rows.into_iter().map(|row| row.iter().map(|cell| safe(cell)).collect()).collect();
        (!rows.is_empty()).then(|| Table {
            caption: caption.to_owned(),
            head: head.collect(),
            rows,
            more: 0,
        })
    }
}

/// Images of each class and split.
pub fn classes(report: &Report<'_>) -> Option<Table> {
    let balance = &report.audit.balance;
    let splits: Vec<&str> =
        balance.scopes.iter().filter_map(|scope| scope.split.as_deref()).collect();
    let mut classes: Vec<_> = balance.classes.iter().zip(&balance.weights).collect();
    classes.sort_by_key(|(class, _)| std::cmp::Reverse(class.images));
    let rows = classes.into_iter().map(|(class, weight)| {
        let mut row = vec![visible(&class.class)];
        row.extend(splits.iter().map(|split| class.images_in(Some(split)).to_string()));
        row.extend([class.images.to_string(), class.independent.to_string()]);
        row.push(percent(class.share));
        row.push(weight.inverse_frequency.map_or("-".to_owned(), |weight| format!("{weight:.3}")));
        row
    });
    let splits: Vec<String> = splits.iter().map(|split| format!("#{split}")).collect();
    let mut head = vec!["class"];
    head.extend(splits.iter().map(String::as_str));
    head.extend(["#images", "#independent", "#share", "#weight"]);
    Table::new("Images of each class", &head, rows.collect())
}

/// What a score on the held-out splits can tell.
pub fn held_out(report: &Report<'_>) -> Option<Table> {
    let rows = report.audit.balance.held_out.iter().map(|split| {
        let open = split.independent_interval;
        vec![
            split.split.clone(),
            split.images.to_string(),
            split.independent.to_string(),
            format!("{} to {}", percent(open.low), percent(open.high)),
        ]
    });
    let right = format!("{:.0}% accuracy means", ASSUMED_ACCURACY * 100.0);
    Table::new(
        "Statistical resolution of the held-out splits (95% Wilson intervals)",
        &["split", "#images", "#independent", &right],
        rows.collect(),
    )
}

/// For two splits how much of the one is in the other.
pub fn leaks(report: &Report<'_>) -> Option<Table> {
    let rows = report.audit.leakage.split_pairs.iter().map(|summary| {
        let kinds =
            summary.by_reason.iter().map(|(reason, images)| format!("{} {images}", reason.name()));
        vec![
            summary.split.clone(),
            summary.within.clone(),
            format!("{} of {}", summary.matched, summary.images),
            percent(summary.share()),
            kinds.collect::<Vec<_>>().join(", "),
        ]
    });
    Table::new(
        "Images with a copy or a frame of the same burst in another split",
        &["of", "in", "#images", "#share", "how"],
        rows.collect(),
    )
}

/// The pairs across splits.
pub fn leaked_pairs(report: &Report<'_>) -> Option<Table> {
    let pairs = &report.audit.leakage.cross_split_pairs;
    let record = |number: u32| report.found.images[number as usize].record;
    let rows = pairs.iter().take(MOST_PAIRS).map(|pair| {
        let (a, b) = (record(pair.a), record(pair.b));
        let other = if a.class() == b.class() { "" } else { "other class" };
        vec![
            a.path_in_split(),
            b.path_in_split(),
            pair.reason.name().to_owned(),
            format!("{:.3}", pair.score),
            other.to_owned(),
        ]
    });
    let table = Table::new(
        "Image pairs shared between splits",
        &["image", "matched with", "kind", "#score", ""],
        rows.collect(),
    )?;
    Some(Table { more: pairs.len().saturating_sub(MOST_PAIRS), ..table })
}

/// The medians of the measures of each class.
pub fn measures(report: &Report<'_>) -> Option<Table> {
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
    let mut classes: std::collections::BTreeMap<&str, Vec<&Measured>> = Default::default();
    for (record, image) in report.catalog.images() {
        if let Some(class) = record.class() {
            classes.entry(class).or_default().push(image);
        }
    }
    let rows = classes.iter().map(|(class, images)| {
        let median = |(number, written): &Number| {
            let mut values: Vec<f64> = images.iter().map(|image| number(image)).collect();
            values.sort_by(f64::total_cmp);
            written(values[values.len() / 2])
        };
        let mut row = vec![visible(class)];
        row.extend(numbers.iter().map(median));
        row
    });
    Table::new(
        "Medians of each class",
        &["class", "#brightness", "#contrast", "#sharpness", "#saturation", "#width", "#height"],
        rows.collect(),
    )
}

/// What each class would get of a split, and what was asked for.
pub fn split(request: &Request, assignment: &Assignment<'_>) -> Option<Table> {
    let rows = assignment.classes.iter().map(|class| {
        let mut row = vec![visible(&class.class), class.images.to_string()];
        row.extend(
            class.got.iter().zip(&class.requested).map(|(got, want)| format!("{got} of {want:.1}")),
        );
        row
    });
    let parts: Vec<String> = request.parts.names().iter().map(|part| format!("#{part}")).collect();
    let mut head = vec!["class", "#images"];
    head.extend(parts.iter().map(String::as_str));
    Table::new("Images of each class, actual of requested", &head, rows.collect())
}
