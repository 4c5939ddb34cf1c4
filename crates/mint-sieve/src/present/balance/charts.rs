//! `balance` as charts.

use std::collections::BTreeMap;

use sieve_core::balance::Balance;
use sieve_core::catalog::Catalog;
use sieve_core::measuring::Measured;

use crate::present::cells::percent;
use crate::present::chart::{Bar, Bars, Line, Strips, measure_strips};
use crate::present::{counted, visible};

/// Images of each class by split, the largest class first.
pub fn class_chart(catalog: &Catalog, balance: &Balance) -> Bars {
    let splits = &catalog.collection.splits;
    let mut counts: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    for class in &balance.classes {
        counts.insert(&class.class, vec![0.0; splits.len().max(1)]);
    }
    for (record, _) in catalog.images() {
        let Some(class) = record.class() else { continue };
        let at = splits.iter().position(|split| Some(split.as_str()) == record.split());
        if let (Some(count), Some(at)) =
            (counts.get_mut(class), at.or(splits.is_empty().then_some(0)))
        {
            count[at] += 1.0;
        }
    }
    let all: f64 = counts.values().flatten().sum();
    let mut bars: Vec<Bar> = counts
        .into_iter()
        .map(|(class, parts)| {
            let images: f64 = parts.iter().sum();
            let note = format!("{images:.0}  {}", percent(images / all.max(1.0)));
            Bar { label: visible(class), parts, wanted: Vec::new(), note }
        })
        .collect();
    let images = |bar: &Bar| bar.parts.iter().sum::<f64>();
    bars.sort_by(|a, b| images(b).total_cmp(&images(a)).then_with(|| a.label.cmp(&b.label)));
    let majority = bars.first().map_or(0.0, |bar| images(bar) / all.max(1.0));
    Bars {
        title: format!("{}: images by class", catalog.collection.name()),
        below: format!(
            "{} in {}; always predicting the largest class is right {} of the time",
            counted(all as u64, "image", "images"),
            counted(bars.len() as u64, "class", "classes"),
            percent(majority),
        ),
        series: splits.clone(),
        line: Some(Line {
            at: balance.floor as f64,
            label: format!("minimum: {} images", balance.floor),
        }),
        bars,
    }
}

/// How measures are spread in each class.
pub fn measure_chart(catalog: &Catalog) -> Strips {
    let mut classes: BTreeMap<String, Vec<&Measured>> = BTreeMap::new();
    for (record, image) in catalog.images() {
        if let Some(class) = record.class() {
            classes.entry(visible(class)).or_default().push(image);
        }
    }
    let title = format!("{}: measures by class", catalog.collection.name());
    measure_strips(title, "class", classes.into_iter().collect())
}
