//! FACTS: what is known of an image beside its content, as words and as numbers.

use std::collections::BTreeMap;

use crate::collection::{composed, split_of_name};
use crate::measuring::Measured;
use crate::record::Record;

/// Something about an image that has one of several values.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fact {
    /// The format of the file.
    Format,
    /// Width and height in pixels.
    Size,
    /// Colour mode and bits.
    Colour,
    /// What took it.
    Camera,
    /// The day it was taken.
    Day,
    /// The folder it lies in, apart from those of its split and class.
    Folder,
}

/// What a fact is called where nothing is known.
pub const UNKNOWN: &str = "(unknown)";
/// What rare values are counted as together.
pub const OTHERS: &str = "(others)";

/// Images that a value needs to be counted by itself: fewer in a cell are too few for chi-squared
/// (Cochran, Some methods for strengthening the common chi-squared tests, 1954).
const LEAST: u64 = 5;

impl Fact {
    /// All facts.
    pub const ALL: [Fact; 6] =
        [Fact::Format, Fact::Size, Fact::Colour, Fact::Camera, Fact::Day, Fact::Folder];

    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Fact::Format => "format",
            Fact::Size => "size",
            Fact::Colour => "colour",
            Fact::Camera => "camera",
            Fact::Day => "capture day",
            Fact::Folder => "folder",
        }
    }

    /// The value of an image.
    pub fn value(self, record: &Record, measured: &Measured) -> String {
        let facts = &measured.facts;
        let known = |text: Option<&str>| text.unwrap_or(UNKNOWN).to_owned();
        match self {
            Fact::Format => facts.format.name().to_owned(),
            Fact::Size => format!("{}x{}", facts.width_px, facts.height_px),
            Fact::Colour => format!("{} {}-bit", facts.colour.name(), facts.bits),
            Fact::Camera => known(facts.camera.as_deref()),
            Fact::Day => known(facts.captured.as_deref().and_then(|time| time.get(..10))),
            Fact::Folder => folder(record),
        }
    }
}

/// The folder of a file without the parts that only repeat its split and class, and without those around all
/// others.
fn folder(record: &Record) -> String {
    let folder = record.path.folder();
    let parts: Vec<&str> = folder.split('/').filter(|part| !part.is_empty()).collect();
    let (base, parts) = parts.split_at(parts.len().min(usize::from(record.place.base)));
    let mut parts = parts.to_vec();
    let mut leave_out = |is_it: &dyn Fn(&str) -> bool| {
        if let Some(at) = parts.iter().position(|part| is_it(part)) {
            parts.remove(at);
        }
    };
    if let Some(split) = record.split() {
        // Where a name or a table tells the split, a folder may say the same.
        let is_split = |part: &str| composed(part) == split || split_of_name(part) == Some(split);
        if !base.iter().any(|part| is_split(part)) {
            leave_out(&is_split);
        }
    }
    let class = record.class().unwrap_or_default();
    leave_out(&|part| composed(part) == class);
    if parts.is_empty() { ".".to_owned() } else { parts.join("/") }
}

/// The values with the number of images that have each, most frequent first, and for each image
/// the place of its value there. Values of fewer than 5 images are one, [`OTHERS`], at the end.
pub fn tallied(values: &[String]) -> (Vec<(String, u64)>, Vec<usize>) {
    let mut counts: BTreeMap<&str, u64> = BTreeMap::new();
    values.iter().for_each(|value| *counts.entry(value).or_default() += 1);
    let rare = counts.values().filter(|&&count| count < LEAST).sum::<u64>();
    let frequent = counts.iter().filter(|(_, count)| **count >= LEAST);
    let mut tally: Vec<(String, u64)> =
        frequent.map(|(value, count)| ((*value).to_owned(), *count)).collect();
    tally.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    let places: BTreeMap<String, usize> =
        tally.iter().enumerate().map(|(place, (value, _))| (value.clone(), place)).collect();
    let others = tally.len();
    if rare > 0 {
        tally.push((OTHERS.to_owned(), rare));
    }
    let place = |value: &String| places.get(value).copied().unwrap_or(others);
    let of_each = values.iter().map(place).collect();
    (tally, of_each)
}

/// Something about an image that is a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Measure {
    /// Mean luma, 0 to 1.
    Brightness,
    /// Deviation of luma, 0 to 0.5.
    Contrast,
    /// Variation between neighbours, 0 to 1.
    Sharpness,
    /// Mean saturation, 0 to 1.
    Saturation,
    /// Width times height.
    Pixels,
    /// Width over height.
    Aspect,
    /// Bytes of the file.
    Bytes,
    /// When it was taken, in seconds from any one moment.
    Captured,
}

impl Measure {
    /// All measures.
    pub const ALL: [Measure; 8] = [
        Measure::Brightness,
        Measure::Contrast,
        Measure::Sharpness,
        Measure::Saturation,
        Measure::Pixels,
        Measure::Aspect,
        Measure::Bytes,
        Measure::Captured,
    ];

    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Measure::Brightness => "brightness",
            Measure::Contrast => "contrast",
            Measure::Sharpness => "sharpness",
            Measure::Saturation => "saturation",
            Measure::Pixels => "pixels",
            Measure::Aspect => "aspect",
            Measure::Bytes => "bytes",
            Measure::Captured => "capture time",
        }
    }

    /// The value of an image, where it is known.
    pub fn value(self, record: &Record, measured: &Measured) -> Option<f64> {
        let (look, facts) = (&measured.measures, &measured.facts);
        Some(match self {
            Measure::Brightness => f64::from(look.brightness),
            Measure::Contrast => f64::from(look.contrast),
            Measure::Sharpness => f64::from(look.sharpness),
            Measure::Saturation => f64::from(look.saturation),
            Measure::Pixels => f64::from(facts.width_px) * f64::from(facts.height_px),
            Measure::Aspect => measured.aspect(),
            Measure::Bytes => record.size_bytes as f64,
            Measure::Captured => facts.captured_seconds()? as f64,
        })
    }
}

impl Measure {
    /// How an image looks: what light, place and season may tie to a class.
    pub const LOOKS: [Measure; 4] =
        [Measure::Brightness, Measure::Contrast, Measure::Sharpness, Measure::Saturation];
}

/// Bands of a number, as many images in each.
const BANDS: usize = 4;

/// The band of each number, in words: `below 0.21`, `0.21 to 0.34`. Bands end at quartiles, rounded to two digits, so
/// that what is said of them is so; where many images have one number there are fewer bands.
pub fn banded(numbers: &[f64]) -> Vec<String> {
    let mut sorted = numbers.to_vec();
    sorted.sort_unstable_by(f64::total_cmp);
    let quartile = |at: usize| sorted.get(at * sorted.len() / BANDS).copied();
    let mut ends: Vec<f64> = (1..BANDS).filter_map(quartile).map(two_digits).collect();
    ends.dedup();
    // A band below the least number is empty.
    ends.retain(|end| sorted.first().is_some_and(|least| least < end));
    let band = |number: &f64| {
        let above = ends.partition_point(|end| end <= number);
        match (above.checked_sub(1).and_then(|at| ends.get(at)), ends.get(above)) {
            (None, None) => "any".to_owned(),
            (None, Some(end)) => format!("below {end}"),
            (Some(end), None) => format!("{end} and more"),
            (Some(from), Some(to)) => format!("{from} to {to}"),
        }
    };
    numbers.iter().map(band).collect()
}

/// A number of two digits that count.
pub fn two_digits(number: f64) -> f64 {
    format!("{number:.1e}").parse().unwrap_or(number)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tests::image;

    #[test]
    fn rare_values_count_together() {
        let values: Vec<String> = ["JPEG"; 7]
            .into_iter()
            .chain(["PNG"; 5])
            .chain(["GIF"; 3])
            .chain(["BMP"; 1])
            .map(str::to_owned)
            .collect();
        let (tally, places) = tallied(&values);
        let expected = [("JPEG", 7), ("PNG", 5), (OTHERS, 4)];
        assert_eq!(tally, expected.map(|(value, count)| (value.to_owned(), count)));
        assert_eq!((places[0], places[7], places[12], places[15]), (0, 1, 2, 2));
        assert_eq!(tallied(&[]), (vec![], vec![]));
    }

    #[test]
    fn folders_tell_what_split_and_class_do_not() {
        let based = |path: &str, split: Option<&str>, class: &str, base: u8| {
            let mut record = image(path, 1);
            record.place.base = base;
            record.place.split = split.map(Into::into);
            record.place.label = crate::collection::Label::Class(class.into());
            let measured = record.image().unwrap();
            Fact::Folder.value(&record, measured)
        };
        let folder = |path: &str, split, class: &str| based(path, split, class, 0);
        assert_eq!(folder("sage/a.jpg", None, "sage"), ".");
        assert_eq!(folder("train/sage/rack 1/a.jpg", Some("train"), "sage"), "rack 1");
        assert_eq!(folder("2026-07/sage/a.jpg", None, "sage"), "2026-07");
        assert_eq!(folder("cafe\u{301}/shelf/a.jpg", None, "caf\u{e9}"), "shelf");
        // Whatever lies around the folders of splits, and wherever their names stand.
        assert_eq!(based("herbs-v1/train/sage/rack 1/a.jpg", Some("train"), "sage", 2), "rack 1");
        assert_eq!(based("herbs-v1/fit/sage/a.jpg", Some("train"), "sage", 2), ".");
        assert_eq!(folder("sage/Valid/rack 1/a.jpg", Some("validation"), "sage"), "rack 1");
        assert_eq!(folder("2026-07/sage/a.jpg", Some("test"), "sage"), "2026-07");
    }

    #[test]
    fn what_is_not_known_is_a_value_or_no_number() {
        let record = image("sage/a.jpg", 1);
        let measured = record.image().unwrap();
        assert_eq!(Fact::Camera.value(&record, measured), UNKNOWN);
        assert_eq!(Fact::Size.value(&record, measured), "640x480");
        assert_eq!(Measure::Captured.value(&record, measured), None);
        assert_eq!(Measure::Pixels.value(&record, measured), Some(307_200.0));
        assert_eq!(Measure::Bytes.value(&record, measured), Some(1000.0));
    }

    #[test]
    fn bands_hold_as_many_each_and_say_what_is_so() {
        let numbers: Vec<f64> = (0..100).map(|at| f64::from(at) / 1000.0 + 0.1).collect();
        let bands = banded(&numbers);
        assert_eq!(bands[0], "below 0.12");
        assert_eq!((bands[20].as_str(), bands[99].as_str()), ("0.12 to 0.15", "0.17 and more"));
        // Where most are grey there is one band of grey ones, and none below it.
        let mut grey = vec![0.0; 60];
        grey.extend([0.5; 40]);
        let bands = banded(&grey);
        assert_eq!((bands[0].as_str(), bands[60].as_str()), ("below 0.5", "0.5 and more"));
        assert!(banded(&[0.3; 8]).iter().all(|band| band == "any") && banded(&[]).is_empty());
    }
}
