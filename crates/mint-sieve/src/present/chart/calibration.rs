//! Calibration: whether scores are as high as predictions are right.

use plotters::prelude::DrawingBackend;

use super::paper::{Chart, LETTERS, MARGIN, Page, Side, Wrong};
use crate::present::sheet::{INK, PALE, WARN};

/// Bins of scores.
#[derive(Clone, Debug)]
pub struct Calibration {
    /// The line at the top.
    pub title: String,
    /// What stands below it.
    pub below: String,
    /// For each bin its predictions, their mean score and the share that is right.
    pub bins: Vec<(u64, f64, f64)>,
}

/// Height of what stands above the plot.
const HEAD: i32 = 90;
/// Rows and columns of the plot.
const SIDE: i32 = 520;
/// Columns for numbers.
const LABELS: i32 = 60;
/// The colour of lines behind the bars.
const GRID: [u8; 3] = [222, 222, 216];
/// The colour of bars.
const BAR: [u8; 3] = [136, 168, 152];

impl Chart for Calibration {
    fn height(&self) -> u32 {
        (HEAD + SIDE + 70) as u32
    }

    fn draw<B: DrawingBackend>(&self, page: &Page<'_, B>) -> Result<(), Wrong<B>> {
        page.head(&self.title, &self.below)?;
        let (left, bottom) = (MARGIN + LABELS, HEAD + SIDE);
        let up = |share: f64| bottom - (share * f64::from(SIDE)) as i32;
        let count = self.bins.len() as i32;
        let wide = SIDE / count.max(1);
        for tenth in (0..=10).step_by(2) {
            let share = f64::from(tenth) / 10.0;
            let text = format!("{}%", tenth * 10);
            page.fill(left, up(share), SIDE, 1, GRID)?;
            page.write(&text, (left - 8, up(share)), Side::Left, LETTERS, false, PALE)?;
            let x = left + (share * f64::from(SIDE)) as i32;
            page.write(&text, (x - 12, bottom + 34), Side::Right, LETTERS, false, PALE)?;
        }
        for (at, &(images, mean, right)) in (0..).zip(&self.bins) {
            let x = left + at * wide;
            if images > 0 {
                page.fill(x + 3, up(right), wide - 6, bottom - up(right), BAR)?;
                let place = left + (mean * f64::from(SIDE)) as i32;
                page.fill(place - 4, up(mean) - 1, 9, 3, WARN)?;
                page.write(&images.to_string(), (x + 8, bottom + 14), Side::Right, 12, false, INK)?;
            }
        }
        let legend = left + SIDE + 30;
        page.fill(legend, HEAD + 20, 14, 14, BAR)?;
        page.write(
            "share that is right",
            (legend + 22, HEAD + 27),
            Side::Right,
            LETTERS,
            false,
            INK,
        )?;
        page.fill(legend, HEAD + 51, 14, 3, WARN)?;
        page.write("mean score", (legend + 22, HEAD + 52), Side::Right, LETTERS, false, INK)?;
        page.write(
            "Below the bars: predictions.",
            (legend, HEAD + 80),
            Side::Right,
            LETTERS,
            false,
            PALE,
        )?;
        page.write("score", (left + SIDE / 2 - 16, bottom + 56), Side::Right, LETTERS, false, INK)
    }
}
