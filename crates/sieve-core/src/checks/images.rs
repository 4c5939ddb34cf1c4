//! Is every image one that can be learned from, and is it like the others?
//!
//! What is odd about a few images is reported image by image. What is odd about many is how the
//! collection is: it is reported once, as a note.

use std::collections::BTreeMap;

use super::{counted, percent};
use crate::catalog::Catalog;
use crate::finding::{Code, Finding, Severity};
use crate::limits::FindingLimits;
use crate::measuring::Measured;
use crate::reading::ColourMode;
use crate::record::Record;
use crate::statistics::{Scale, median};

/// Findings about single images, and about what is mixed.
pub fn images(catalog: &Catalog, limits: &FindingLimits) -> Vec<Finding> {
    let images = Images { all: catalog.images().collect(), limits };
    if images.all.is_empty() {
        return Vec::new();
    }
    let mut findings = Vec::new();
    findings.extend(images.blank());
    findings.extend(images.dark());
    findings.extend(images.washed_out());
    findings.extend(images.soft());
    findings.extend(images.tiny());
    findings.extend(images.odd_aspect());
    findings.extend(images.grey());
    findings.extend(images.mixed_colours());
    findings.extend(images.mixed_sizes());
    let of_all = |code, one: &str, many: &str, is_so: fn(&Measured) -> bool| {
        images.noted(code, one, many, is_so)
    };
    findings.extend(of_all(
        Code::Transparent,
        "image has an alpha channel",
        "images have an alpha channel",
        |m| matches!(m.facts.colour, ColourMode::GreyAlpha | ColourMode::Rgba),
    ));
    findings.extend(of_all(
        Code::Animated,
        "image has several frames",
        "images have several frames",
        |m| m.facts.frames > 1,
    ));
    findings.extend(of_all(
        Code::ExifOrientation,
        "image relies on its EXIF orientation tag",
        "images rely on their EXIF orientation tags",
        |m| m.facts.orientation > 1,
    ));
    findings
}

type Image<'a> = (&'a Record, &'a Measured);

struct Images<'a> {
    all: Vec<Image<'a>>,
    limits: &'a FindingLimits,
}

/// An image that is odd, what is odd about it, and by how much.
struct Odd<'a> {
    record: &'a Record,
    measured: &'a Measured,
    message: String,
    value: f64,
}

/// Images of which one can be called unlike the others: fewer do not tell what is usual.
const LEAST: usize = 30;
/// Images of a class of which one can have another shape: shapes differ less than looks do.
const LEAST_OF_CLASS: usize = 8;
/// Where blank images are a larger share, they are how the collection is: masks, or drawings that
/// are white on a transparent ground.
const BLANK_SHARE: f64 = 0.1;
/// Sharpness of what is called smooth all the same, whatever the others are; keeps logarithms finite.
const NO_DETAIL: f64 = 1e-6;

impl<'a> Images<'a> {
    /// One finding an image, or one for all where that are many; `many` goes on after their number.
    fn reported(&self, code: Code, odd: Vec<Odd<'a>>, limit: f64, many: &str) -> Vec<Finding> {
        let share = odd.len() as f64 / self.all.len() as f64;
        if odd.len() <= 1 || share <= self.limits.minority {
            let one = |odd: Odd<'a>| {
                Finding::new(code, format!("{}: {}", odd.record.path, odd.message))
                    .about(odd.record.class(), odd.record.split())
                    .images([&odd.record.path])
                    .evidence("measured_value", odd.value)
                    .evidence("limit", limit)
            };
            return odd.into_iter().map(one).collect();
        }
        let message = format!("{} images ({}) {many}", odd.len(), percent(share));
        // A class that was only taken so may be told by that instead of its content.
        let class = odd[0].record.class();
        let class = class.filter(|_| odd.iter().all(|odd| odd.record.class() == class));
        let class = class.filter(|_| self.all.iter().any(|(other, _)| other.class() != class));
        let of_one = class.map_or(String::new(), |class| format!(", all of them in {class:?}"));
        let finding = Finding::new(code, message + &of_one)
            .about(class, None)
            .images(odd.iter().map(|odd| &odd.record.path))
            .evidence("images", odd.len())
            .evidence("share", share)
            .evidence("limit", limit);
        // Nothing can be learned from a blank image.
        let is_warning = code == Code::Blank && share <= BLANK_SHARE;
        vec![if is_warning { finding } else { finding.severity(Severity::Note) }]
    }

    fn odd(&self, judge: impl Fn(Image<'a>) -> Option<(f64, String)>) -> Vec<Odd<'a>> {
        let judged = self.all.iter().filter_map(|&(record, measured)| {
            let (value, message) = judge((record, measured))?;
            Some(Odd { record, measured, message, value })
        });
        judged.collect()
    }

    /// Where the numbers of the images lie, on a scale of ratios; none of too few.
    fn scale(&self, value: impl Fn(&Measured) -> f64) -> Option<Scale> {
        let numbers: Vec<f64> =
            self.all.iter().map(|(_, measured)| value(measured).max(NO_DETAIL).ln()).collect();
        (numbers.len() >= LEAST).then(|| Scale::new(numbers)).flatten()
    }

    fn is_blank(&self, measured: &Measured) -> bool {
        let look = &measured.measures;
        deviation(measured) < self.limits.blank && f64::from(look.flat_share) > ONE_COLOUR
    }

    fn blank(&self) -> Vec<Finding> {
        let odd = self.odd(|(_, measured)| {
            let [red, green, blue] = measured.measures.mean.map(|value| value.round() as u8);
            let colour = format!("uniformly #{red:02x}{green:02x}{blue:02x}");
            let message = match measured.facts.colour.may_be_transparent() {
                true => format!("{colour}, with transparency shown on white"),
                false => colour,
            };
            self.is_blank(measured).then(|| (deviation(measured), message))
        });
        self.reported(Code::Blank, odd, self.limits.blank, "are one uniform colour")
    }

    /// Images of which a number lies far below those of the others and below a limit.
    fn far_below(
        &self,
        value: impl Fn(&Measured) -> f64,
        limit: f64,
        message: impl Fn(f64, f64) -> String,
    ) -> Vec<Odd<'a>> {
        let Some(scale) = self.scale(&value) else { return Vec::new() };
        self.odd(|(_, measured)| {
            let number = value(measured);
            let below = -scale.deviations(number.max(NO_DETAIL).ln());
            let is_far = number < limit && below > self.limits.outlier;
            let is_odd = is_far && !self.is_blank(measured);
            is_odd.then(|| (number, message(number, scale.median.exp())))
        })
    }

    /// With too little light the bright places go dark with the others, so that the spread stays below the mean, as it is in
    /// most images. Few bright things on black ground have it above: they are to be seen.
    fn dark(&self) -> Vec<Finding> {
        let limit = self.limits.dark;
        let mut odd = self.far_below(
            |measured| f64::from(measured.measures.brightness),
            limit,
            |value, median| {
                format!("brightness {} of white; the median is {}", percent(value), percent(median))
            },
        );
        odd.retain(|odd| odd.measured.measures.contrast < odd.measured.measures.brightness);
        self.reported(Code::TooDark, odd, limit, "are very dark")
    }

    fn washed_out(&self) -> Vec<Finding> {
        let limit = self.limits.contrast;
        let odd = self.far_below(
            |measured| f64::from(measured.measures.contrast),
            limit,
            |value, median| format!("contrast {value:.3}; the median is {median:.3}"),
        );
        self.reported(Code::WashedOut, odd, limit, "have hardly any contrast")
    }

    fn soft(&self) -> Vec<Finding> {
        let sharpness = |measured: &Measured| f64::from(measured.measures.sharpness);
        let Some(scale) = self.scale(sharpness) else { return Vec::new() };
        let limit = self.limits.soft_focus * scale.median.exp();
        let odd = self.far_below(sharpness, limit, |value, median| {
            format!("sharpness {value:.4}; the median is {median:.4}")
        });
        self.reported(Code::SoftFocus, odd, limit, "are much softer than the rest")
    }

    fn tiny(&self) -> Vec<Finding> {
        let side =
            |measured: &Measured| f64::from(measured.facts.width_px.min(measured.facts.height_px));
        let usual = median(self.all.iter().map(|(_, measured)| side(measured))).unwrap_or(0.0);
        let limit = self.limits.tiny.min(usual / 4.0);
        let odd = self.odd(|(_, measured)| {
            let facts = &measured.facts;
            let message = format!("{} x {} pixels", facts.width_px, facts.height_px);
            (side(measured) < limit).then(|| (side(measured), message))
        });
        self.reported(Code::Tiny, odd, limit, "are far smaller than the rest")
    }

    fn odd_aspect(&self) -> Vec<Finding> {
        let mut classes: BTreeMap<Option<&str>, Vec<f64>> = BTreeMap::new();
        for (record, measured) in &self.all {
            classes.entry(record.class()).or_default().push(measured.aspect().ln());
        }
        let scales: BTreeMap<Option<&str>, Scale> = classes
            .into_iter()
            .filter(|(_, numbers)| numbers.len() >= LEAST_OF_CLASS)
            .filter_map(|(class, numbers)| Some((class, Scale::new(numbers)?)))
            .collect();
        let limit = self.limits.aspect;
        let odd = self.odd(|(record, measured)| {
            let (scale, aspect) = (scales.get(&record.class())?, measured.aspect());
            let is_odd = scale.deviations(aspect.ln()).abs() > self.limits.outlier
                && (aspect.ln() - scale.median).abs() > limit.ln();
            let usual = scale.median.exp();
            let facts = &measured.facts;
            is_odd.then(|| {
                let message = format!(
                    "{} x {} pixels, aspect ratio {aspect:.2}; the median of its class is {usual:.2}",
                    facts.width_px, facts.height_px
                );
                (aspect, message)
            })
        });
        self.reported(
            Code::AspectOutlier,
            odd,
            limit,
            "have an unusual aspect ratio for their class",
        )
    }

    fn grey(&self) -> Vec<Finding> {
        let saturation = |measured: &Measured| f64::from(measured.measures.saturation);
        let limit = self.limits.grey;
        let odd = self.odd(|(_, measured)| {
            let is_grey = saturation(measured) < limit && !self.is_blank(measured);
            is_grey.then(|| (saturation(measured), "a grey image".to_owned()))
        });
        // Where most are grey, grey is not what is odd.
        if odd.len() * 2 > self.all.len() || self.all.len() < LEAST {
            return Vec::new();
        }
        self.reported(Code::GreyAmongColour, odd, limit, "are grey, unlike the rest")
    }

    fn mixed_colours(&self) -> Option<Finding> {
        let mut modes: BTreeMap<ColourMode, Vec<&Record>> = BTreeMap::new();
        for (record, measured) in &self.all {
            modes.entry(measured.facts.colour).or_default().push(record);
        }
        let mut modes: Vec<(ColourMode, Vec<&Record>)> = modes.into_iter().collect();
        modes.sort_by_key(|(_, records)| std::cmp::Reverse(records.len()));
        if modes.len() < 2 {
            return None;
        }
        let counts =
            modes.iter().map(|(mode, records)| format!("{} {}", mode.name(), records.len()));
        let counts: Vec<String> = counts.collect();
        let rare = modes.iter().skip(1).flat_map(|(_, records)| records.iter());
        Some(
            Finding::new(Code::MixedColours, counts.join(", "))
                .images(sorted(rare.map(|record| &record.path)))
                .evidence("modes", counts),
        )
    }

    fn mixed_sizes(&self) -> Option<Finding> {
        let size = |measured: &Measured| (measured.facts.width_px, measured.facts.height_px);
        let mut sizes: BTreeMap<(u32, u32), usize> = BTreeMap::new();
        self.all.iter().for_each(|(_, m)| *sizes.entry(size(m)).or_default() += 1);
        let (&usual, &number) = sizes.iter().max_by_key(|&(_, number)| *number)?;
        let share = number as f64 / self.all.len() as f64;
        if sizes.len() < 2 || share < self.limits.uniform {
            return None;
        }
        let others = self.all.iter().filter(|(_, measured)| size(measured) != usual);
        let message = format!(
            "{} not {} x {} like {} of all",
            counted((self.all.len() - number) as u64, "image is", "images are"),
            usual.0,
            usual.1,
            percent(share)
        );
        Some(
            Finding::new(Code::MixedSizes, message)
                .images(others.map(|(record, _)| &record.path))
                .evidence("width_px", u64::from(usual.0))
                .evidence("height_px", u64::from(usual.1))
                .evidence("share", share)
                .evidence("limit", self.limits.uniform),
        )
    }

    /// One note for all images of which something is so.
    fn noted(
        &self,
        code: Code,
        one: &str,
        many: &str,
        is_so: fn(&Measured) -> bool,
    ) -> Option<Finding> {
        let those: Vec<&Record> =
            self.all.iter().filter(|(_, m)| is_so(m)).map(|&(record, _)| record).collect();
        let number = those.len() as u64;
        let finding = || {
            Finding::new(code, counted(number, one, many))
                .images(those.iter().map(|record| &record.path))
                .evidence("images", number)
        };
        (number > 0).then(finding)
    }
}

/// The largest standard deviation of any channel, 0 to 127.5.
fn deviation(measured: &Measured) -> f64 {
    measured.measures.deviation.into_iter().fold(0.0, f32::max).into()
}

/// Share of an image within 8 levels of its most frequent colour, above which it is of that colour:
/// 5 of its 1,024 cells may be dust.
const ONE_COLOUR: f64 = 0.995;

fn sorted<T: Ord>(all: impl Iterator<Item = T>) -> Vec<T> {
    let mut all: Vec<T> = all.collect();
    all.sort();
    all
}
