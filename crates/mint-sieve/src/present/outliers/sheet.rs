//! The sheet of `outliers`: each image beside typical ones of its class.

use super::{OutlierList, in_words};
use crate::present::cells::visible;
use crate::present::sheet::{Labelled, TileRow};

/// The line at the top.
pub fn title(answer: &OutlierList<'_>) -> String {
    let name = answer.catalog.collection.name();
    format!(
        "{name}: the {} most unusual images, each beside three typical ones of its class",
        answer.listed.len()
    )
}

/// A row for each listed image, whose pixels are still to be read.
pub fn rows(answer: &OutlierList<'_>) -> Vec<TileRow> {
    let row = |(rank, one): &(usize, sieve_core::outliers::Outlier)| {
        let class = visible(answer.class(one.class));
        let like =
            answer.resembles(one).map_or(String::new(), |other| format!("like {}", visible(other)));
        let tile = |row: usize, second: String, third: String, is_marked: bool| {
            let image = answer.image(row);
            let name = image.record.path.file_name().to_owned();
            Labelled::of_record(image.index, [name, second, third], is_marked)
        };
        let typical = answer.outliers.typical[one.class as usize].iter();
        let typical = typical.filter(|&&row| row != one.row);
        let mut tiles = vec![tile(one.row, class.clone(), like, true)];
        tiles.extend(
            typical.map(|&row| tile(row, format!("typical {class}"), String::new(), false)),
        );
        TileRow { head: format!("{rank}  {}", in_words(one.reason)), tiles }
    };
    answer.listed.iter().map(row).collect()
}
