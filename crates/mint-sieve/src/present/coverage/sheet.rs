//! The sheet of `coverage`: the kinds of each class, then what is missing, unseen or alike.

use super::CoverageReport;
use crate::present::cells::{percent, visible};
use crate::present::sheet::{COLUMNS, Labelled, TileRow};

/// Rows of each kind without `--all`.
const MOST_ROWS: usize = 24;

/// The line at the top.
pub fn title(answer: &CoverageReport<'_>) -> String {
    format!("{}: kinds of images by appearance", answer.catalog.collection.name())
}

/// The rows, whose images are still to be read.
pub fn rows(answer: &CoverageReport<'_>) -> Vec<TileRow> {
    let most = if answer.all { usize::MAX } else { MOST_ROWS };
    let tile = |row: usize, second: String, third: String, is_marked: bool| {
        let image = answer.image(row);
        let name = image.record.path.file_name().to_owned();
        Labelled::of_record(image.index, [name, second, third], is_marked)
    };
    let coverage = answer.coverage;
    let kinds = coverage.subject.classes.iter().zip(&coverage.classes).map(|(class, kinds)| {
        let tiles = kinds.kinds.iter().map(|kind| {
            let confined = kind.confined.first();
            let confined = confined.map_or(String::new(), |one| format!("only {}", one.value));
            let images = if kind.rows.len() == 1 { "image" } else { "images" };
            tile(kind.medoid, format!("{} {images} like it", kind.rows.len()), confined, false)
        });
        TileRow { head: visible(&class.class), tiles: tiles.collect() }
    });
    let missing = coverage.missing.iter().map(|one| {
        let class = visible(answer.class(one.class));
        let tiles = one.examples.iter().take(COLUMNS).map(|&row| {
            let own = answer.image(row).record.class().unwrap_or_default();
            tile(row, visible(own), String::new(), false)
        });
        let head =
            format!("{class} lacks this kind ({} of {:.0} expected)", one.images, one.expected);
        TileRow { head, tiles: tiles.collect() }
    });
    let unseen = coverage.unseen.iter().flat_map(|one| {
        let class = visible(answer.class(one.class));
        let split = one.split.clone();
        one.images.iter().map(move |image| {
            let nearest =
                tile(image.nearest, "nearest in training".to_owned(), String::new(), false);
            let far = format!("{:.1}x as far as usual", image.ratio);
            let own = tile(image.row, split.clone(), far, true);
            TileRow {
                head: format!("{class}: unlike anything in training"),
                tiles: vec![own, nearest],
            }
        })
    });
    let alike = coverage.look_alikes.pairs.iter().map(|pair| {
        let [a, b] = pair.classes.map(|class| visible(answer.class(class)));
        let tiles = pair.examples.iter().map(|&row| {
            let own = answer.image(row).record.class().unwrap_or_default();
            tile(row, visible(own), "nearer to the other class".to_owned(), false)
        });
        let head = format!("{a} and {b} overlap by {}", percent(pair.overlap));
        TileRow { head, tiles: tiles.collect() }
    });
    let parts = kinds.take(most).chain(missing.take(most));
    parts.chain(unseen.take(most)).chain(alike.take(most)).collect()
}
