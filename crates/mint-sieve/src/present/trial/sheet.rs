//! The sheet of `trial`: the misclassified images, a row for each confusion.

use super::TrialReport;
use crate::present::cells::visible;
use crate::present::counted;
use crate::present::sheet::{Labelled, TileRow};

/// Images of a row.
const MOST_TILES: usize = 8;
/// Rows: the most frequent confusions.
const MOST_ROWS: usize = 40;

/// The line at the top.
pub fn title(answer: &TrialReport<'_>) -> String {
    let name = answer.catalog.collection.name();
    format!(
        "{name}: {} by the small learner, grouped by confusion",
        counted(answer.misclassified().len() as u64, "misclassified image", "misclassified images")
    )
}

/// A row for each confusion, whose pixels are still to be read.
pub fn rows(answer: &TrialReport<'_>) -> Vec<TileRow> {
    let (Some(sample), Some(trained)) = (answer.sample, answer.trained) else { return Vec::new() };
    let wrong = answer.misclassified();
    let row = |one: sieve_core::confusion::Confused| {
        let places = wrong.iter().filter(|&&at| {
            let (pick, predicted) = (sample.held_out[at], trained.predicted[at]);
            (pick.class, predicted.class) == (one.class, one.predicted)
        });
        let tiles = places.take(MOST_TILES).map(|&at| {
            let image = answer.image(sample.held_out[at].image);
            let score = format!("{:.0}% sure", trained.predicted[at].score * 100.0);
            let name = image.record.path.file_name().to_owned();
            Labelled::of_record(image.index, [name, score, String::new()], false)
        });
        let [class, predicted] =
            [one.class, one.predicted].map(|class| visible(&sample.classes[class as usize]));
        TileRow {
            head: format!("{class} predicted as {predicted} ({})", one.images),
            tiles: tiles.collect(),
        }
    };
    trained.confusion.confused().into_iter().take(MOST_ROWS).map(row).collect()
}
