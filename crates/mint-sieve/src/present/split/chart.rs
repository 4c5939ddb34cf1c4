//! `split` as a chart: what each class got, against what was asked for.

use super::Split;
use crate::present::chart::{Bar, Bars};
use crate::present::{counted, visible};

/// Each class as a bar of its parts.
pub fn chart(split: &Split<'_>) -> Bars {
    let names = split.request.parts.names();
    let bar = |class: &sieve_core::splitting::ClassCounts| {
        let got: Vec<String> = class.got.iter().map(u64::to_string).collect();
        Bar {
            label: visible(&class.class),
            parts: class.got.iter().map(|&images| images as f64).collect(),
            wanted: class.requested.clone(),
            note: got.join(" / "),
        }
    };
    let mut bars: Vec<Bar> = split.assignment.classes.iter().map(bar).collect();
    let images = |bar: &Bar| bar.parts.iter().sum::<f64>();
    bars.sort_by(|a, b| images(b).total_cmp(&images(a)).then_with(|| a.label.cmp(&b.label)));
    Bars {
        title: format!("{}: the split", split.catalog.collection.name()),
        below: format!(
            "{} in {}; seed {}",
            counted(split.assignment.images.len() as u64, "image", "images"),
            counted(bars.len() as u64, "class", "classes"),
            split.request.seed,
        ),
        series: names.to_vec(),
        bars,
        line: None,
    }
}
