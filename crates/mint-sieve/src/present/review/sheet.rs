//! The sheet of `review`: each wrong prediction beside what it resembles.

use sieve_core::review::Neighbour;

use super::Review;
use crate::present::cells::visible;
use crate::present::counted;
use crate::present::sheet::{Labelled, TileRow};

/// The line at the top.
pub fn title(answer: &Review<'_>) -> String {
    let name = answer.catalog.collection.name();
    let wrong = answer.wrong().len();
    format!(
        "{name}: {} of {}, each beside the most similar training image of the predicted and of its own class",
        wrong.min(answer.top),
        counted(wrong as u64, "wrong prediction", "wrong predictions")
    )
}

/// A row for each listed wrong prediction, whose pixels are still to be read.
pub fn rows(answer: &Review<'_>) -> Vec<TileRow> {
    let row = |case: &super::Case| {
        let one = answer.prediction(case.row);
        let [class, predicted] = [one.class, one.predicted].map(|at| visible(answer.class(at)));
        let tile = |number: u32, second: String, third: String, is_marked: bool| {
            let image = answer.image(number);
            let name = image.record.path.file_name().to_owned();
            Labelled::of_record(image.index, [name, second, third], is_marked)
        };
        let score =
            one.score.map_or(String::new(), |score| format!(", {:.0}% sure", score * 100.0));
        let suggestion = case.suggestion.map_or("", |suggestion| suggestion.name()).to_owned();
        let mut tiles = vec![tile(one.image, class.clone(), suggestion, true)];
        let near = |neighbour: Option<Neighbour>, class: &str| {
            neighbour.map(|near| {
                tile(
                    near.image,
                    class.to_owned(),
                    format!("similarity {:.2}", near.similarity),
                    false,
                )
            })
        };
        tiles.extend(near(case.nearest_predicted, &predicted));
        tiles.extend(near(case.nearest_own, &class));
        TileRow { head: format!("{class} predicted as {predicted}{score}"), tiles }
    };
    answer.wrong().into_iter().take(answer.top).map(row).collect()
}
