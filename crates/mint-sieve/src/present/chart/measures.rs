//! Measures of images as strips: one for each class or split.

use sieve_core::measuring::Measured;
use sieve_core::reading::time_of_seconds;

use super::strips::{Spread, Strips, Written};

/// A measure: its name, how its numbers are written, and where they come from; none of an image that has it not.
type Measure = (&'static str, Written, fn(&Measured) -> Option<f64>);

fn percent(share: f64) -> String {
    format!("{:.0} %", share * 100.0)
}

const MEASURES: [Measure; 5] = [
    ("brightness", percent, |image| Some(f64::from(image.look.brightness))),
    ("contrast", percent, |image| Some(f64::from(image.look.contrast))),
    ("sharpness", |value| format!("{value:.2}"), |image| Some(f64::from(image.look.sharpness))),
    // On a scale of ratios: twice as large is as far everywhere.
    (
        "side in pixels",
        |value| format!("{:.0}", value.exp2()),
        |image| {
            let pixels = f64::from(image.facts.width_px) * f64::from(image.facts.height_px);
            Some(pixels.max(1.0).log2() / 2.0)
        },
    ),
    // The hour takes more room than it is worth over months.
    (
        "taken",
        |value| time_of_seconds(value)[..10].to_owned(),
        |image| image.facts.captured_seconds().map(|seconds| seconds as f64),
    ),
];

/// How measures are spread in each of these groups of images, which are called `what`. Times are left out where no image
/// has one.
pub fn measure_strips(title: String, what: &str, groups: Vec<(String, Vec<&Measured>)>) -> Strips {
    let is_known = |(_, _, number): &&Measure| {
        groups.iter().flat_map(|(_, images)| images).any(|image| number(image).is_some())
    };
    let measures: Vec<&Measure> = MEASURES.iter().filter(is_known).collect();
    let spreads = |images: &Vec<&Measured>| {
        let of = |(_, _, number): &&Measure| {
            Spread::new(images.iter().filter_map(|image| number(image)).collect())
        };
        measures.iter().map(of).collect()
    };
    Strips {
        title,
        below: format!(
            "line: the middle 90 %, bar: the middle half, mark: the median of each {what}"
        ),
        measures: measures
            .iter()
            .map(|(name, written, _)| ((*name).to_owned(), *written))
            .collect(),
        classes: groups.iter().map(|(name, images)| (name.clone(), spreads(images))).collect(),
    }
}
