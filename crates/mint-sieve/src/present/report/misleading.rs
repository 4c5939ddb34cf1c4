//! What misleads a model, on the page: images unlike their class to decide on, classes that are known by their background, and
//! classes that look alike.

use serde::Serialize;
use sieve_core::coverage::Coverage;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::outliers::Outliers;
use sieve_core::reading::Pixels;

use crate::console::safe;
use crate::present::cells::percent;
use crate::present::outliers::in_words;
use crate::present::web::{Case, ImageRegistry};
use crate::present::{visible, web};

/// Outliers on the page.
const MOST_OUTLIERS: usize = 24;
/// Pairs of classes on the page.
const MOST_PAIRS: usize = 12;

/// What misleads a model.
#[derive(Default, Serialize)]
pub struct Misleading {
    /// The most unusual images, a case each.
    pub outliers: Vec<Case>,
    /// Pairs of classes, a case each.
    pub look_alikes: Vec<Case>,
    /// The borders and mean images of classes that are known by their background.
    pub shortcuts: Option<Painted>,
}

/// A painted sheet.
#[derive(Serialize)]
pub struct Painted {
    /// The sheet, as base64 of a JPEG.
    pub sheet: String,
    /// Its sides in pixels.
    pub width_px: u32,
    /// See `width_px`.
    pub height_px: u32,
}

impl Painted {
    /// A sheet for a page.
    pub fn new(pixels: &Pixels) -> Self {
        let sheet = web::base64(&web::jpeg(pixels));
        Painted { sheet, width_px: pixels.width_px, height_px: pixels.height_px }
    }
}

/// Puts the images of outliers and look-alike classes into `album`.
pub fn misleading(
    found: &DuplicateReport<'_>,
    outliers: &Outliers,
    coverage: &Coverage,
    album: &mut ImageRegistry,
) -> Misleading {
    let record = |subject: &sieve_core::appearance::Subject, row: usize| {
        found.images[subject.images[row] as usize].index
    };
    let ranked = outliers.ranking.iter().take(MOST_OUTLIERS).enumerate();
    let ranked = ranked.map(|(at, one)| {
        let class = |number: u32| safe(&visible(&outliers.subject.classes[number as usize].class));
        let like = one.resembles.map_or(String::new(), |other| format!("; like {}", class(other)));
        Case {
            id: format!("outlier-{}", at + 1),
            title: format!("{}. {}: {}{like}", at + 1, class(one.class), in_words(one.reason)),
            evidence: Vec::new(),
            images: album.add(record(&outliers.subject, one.row), true).to_string(),
            count: 1,
            more: 0,
            keep: None,
            group: None,
            ties: Vec::new(),
        }
    });
    let outliers = ranked.collect();
    let pairs = coverage.look_alikes.pairs.iter().take(MOST_PAIRS).enumerate();
    let pairs = pairs.map(|(at, pair)| {
        let [a, b] =
            pair.classes.map(|class| safe(&visible(&coverage.subject.classes[class].class)));
        let numbers: Vec<String> = pair
            .examples
            .iter()
            .map(|&row| album.add(record(&coverage.subject, row), true).to_string())
            .collect();
        Case {
            id: format!("look-alike-{}", at + 1),
            title: format!(
                "{a} and {b} overlap by {} ({} to {})",
                percent(pair.overlap),
                percent(pair.interval.low),
                percent(pair.interval.high)
            ),
            evidence: Vec::new(),
            count: numbers.len(),
            images: numbers.join(","),
            more: (pair.crossing as usize).saturating_sub(pair.examples.len()),
            keep: None,
            group: None,
            ties: Vec::new(),
        }
    });
    Misleading { outliers, look_alikes: pairs.collect(), shortcuts: None }
}
