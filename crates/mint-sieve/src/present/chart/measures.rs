//! Measures of images as strips: one for each class or split.

use sieve_core::measuring::Measured;
use sieve_core::reading::time_of_seconds;

use super::strips::{Spread, Strips, Written};

/// A measure: its name, how its numbers are written, and where they come from; none of an image that has it not.
type Measure = (&'static str, Written, fn(&Measured) -> Option<f64>);

fn percent(share: f64) -> String {
    format!("{:.0}%", share * 100.0)
}

const MEASURES: [Measure; 5] = [
    ("brightness", percent, |image| Some(f64::from(image.measures.brightness))),
    ("contrast", percent, |image| Some(f64::from(image.measures.contrast))),
    ("sharpness", |value| format!("{value:.2}"), |image| Some(f64::from(image.measures.sharpness))),
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
        below: format!("line: middle 90%, bar: middle half, mark: median of each {what}"),
        measures: measures
            .iter()
            .map(|(name, written, _)| ((*name).to_owned(), *written))
            .collect(),
        classes: groups.iter().map(|(name, images)| (name.clone(), spreads(images))).collect(),
    }
}

#[cfg(test)]
mod tests {
    use sieve_core::measuring;
    use sieve_core::reading::{Pixels, ReadLimits};

    use super::*;

    #[test]
    fn groups_keep_their_order_and_times_are_shown_where_there_are_any() {
        let measured = |grey: u8, side: u32| {
            let data = vec![grey; (side * side * 3) as usize];
            let png = crate::present::sheet::png(&Pixels { width_px: side, height_px: side, data });
            measuring::measure(&png, &ReadLimits::default()).unwrap().0
        };
        let (dark, bright) = (measured(51, 64), measured(204, 256));
        let groups =
            vec![("sage".to_owned(), vec![&bright]), ("bay".to_owned(), vec![&dark, &dark])];
        let strips = measure_strips("measures".to_owned(), "class", groups.clone());
        let names: Vec<&str> = strips.measures.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, ["brightness", "contrast", "sharpness", "side in pixels"]);
        let classes: Vec<&str> = strips.classes.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(classes, ["sage", "bay"]);
        let reported = |class: usize, measure: usize| {
            let Spread(five) = strips.classes[class].1[measure].unwrap();
            (strips.measures[measure].1)(five[2])
        };
        assert_eq!(
            [reported(0, 0), reported(1, 0), reported(0, 3), reported(1, 3)],
            ["80%", "20%", "256", "64"]
        );
        // One image with a time is enough; the others have none.
        let mut taken = dark.clone();
        taken.facts.captured = Some("2026-03-01T10:00:00".into());
        let strips = measure_strips(
            "measures".to_owned(),
            "split",
            vec![("train".to_owned(), vec![&taken]), ("test".to_owned(), vec![&bright])],
        );
        assert_eq!(strips.measures.len(), 5);
        let Spread(five) = strips.classes[0].1[4].unwrap();
        assert_eq!((strips.measures[4].1)(five[2]), "2026-03-01");
        assert_eq!(strips.classes[1].1[4], None);
    }
}
