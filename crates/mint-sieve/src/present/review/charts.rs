//! The charts of `review`.

use super::Review;
use crate::present::cells::visible;
use crate::present::chart::{Calibration, Matrix};

/// The confusion matrix.
pub fn confusion_chart(answer: &Review<'_>) -> Matrix {
    let confusion = &answer.scores.confusion;
    let classes = confusion.classes();
    let there: Vec<usize> = (0..classes)
        .filter(|&class| confusion.of_class(class) > 0 || confusion.score(class).predicted > 0)
        .collect();
    let counts = there
        .iter()
        .map(|&row| there.iter().map(|&column| confusion.count(row, column)).collect::<Vec<u64>>());
    Matrix {
        title: format!("{}: confusion of the predictions", answer.catalog.collection.name()),
        below: format!(
            "{} predictions; rows: true classes, columns: predicted classes; shade: share of the row",
            confusion.images()
        ),
        classes: there.iter().map(|&class| visible(answer.class(class as u32))).collect(),
        counts: counts.collect(),
    }
}

/// The calibration; none where predictions have no scores.
pub fn calibration_chart(answer: &Review<'_>) -> Option<Calibration> {
    let calibration = answer.scores.calibration.as_ref()?;
    Some(Calibration {
        title: format!("{}: calibration of the predictions", answer.catalog.collection.name()),
        below: format!(
            "Expected calibration error {:.1}%. Where a mark lies above its bar, the model is surer than it is right.",
            calibration.error * 100.0
        ),
        bins: calibration.bins.iter().map(|bin| (bin.images, bin.mean_score, bin.right)).collect(),
    })
}
