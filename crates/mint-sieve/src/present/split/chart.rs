//! `split` as a chart: what each class got, against what was asked for.

use sieve_core::splitting::{Assignment, ClassCounts, Request};

use crate::present::chart::{Bar, Bars};
use crate::present::{counted, visible};

/// Each class of the collection `name` as a bar of its parts.
pub fn chart(name: &str, request: &Request, assignment: &Assignment<'_>) -> Bars {
    let names = request.parts.names();
    let bar = |class: &ClassCounts| {
        let got: Vec<String> = class.got.iter().map(u64::to_string).collect();
        Bar {
            label: visible(&class.class),
            parts: class.got.iter().map(|&images| images as f64).collect(),
            wanted: class.requested.clone(),
            note: got.join(" / "),
        }
    };
    let mut bars: Vec<Bar> = assignment.classes.iter().map(bar).collect();
    let images = |bar: &Bar| bar.parts.iter().sum::<f64>();
    bars.sort_by(|a, b| images(b).total_cmp(&images(a)).then_with(|| a.label.cmp(&b.label)));
    Bars {
        title: format!("{name}: the split"),
        below: format!(
            "{} in {}; seed {}",
            counted(assignment.images.len() as u64, "image", "images"),
            counted(bars.len() as u64, "class", "classes"),
            request.seed,
        ),
        series: names.to_vec(),
        bars,
        line: None,
    }
}
