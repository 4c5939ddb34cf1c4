//! Strips: how a measure is spread within each class, all classes on one scale.

use plotters::prelude::DrawingBackend;

use super::bars::short;
use super::paper::{Chart, LETTERS, MARGIN, Page, Side, WIDTH, Wrong};
use crate::present::sheet::{INK, MARK, PALE};

/// How numbers are spread: the least, a quarter, the middle, three quarters, the most.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spread(pub [f64; 5]);

impl Spread {
    /// Of these numbers, the outermost twentieth at either end left out; none of none.
    pub fn new(mut numbers: Vec<f64>) -> Option<Self> {
        numbers.sort_by(f64::total_cmp);
        let last = numbers.len().checked_sub(1)?;
        Some(Spread(
            [0.05, 0.25, 0.5, 0.75, 0.95]
                .map(|share| numbers[(share * last as f64).round() as usize]),
        ))
    }
}

/// How a number of a measure is written.
pub type Written = fn(f64) -> String;

/// A chart of strips: for each class one of each measure.
#[derive(Clone, Debug)]
pub struct Strips {
    /// The line at the top.
    pub title: String,
    /// What stands below it.
    pub below: String,
    /// The measures, with how a number of each is written.
    pub measures: Vec<(String, Written)>,
    /// The classes with the spread of each measure.
    pub classes: Vec<(String, Vec<Option<Spread>>)>,
}

/// Classes that are shown; of more those that differ most from the middle of all stand first.
const MOST: usize = 60;
/// Height of a row.
const ROW: i32 = 18;
/// Height of what stands above the rows.
const HEAD: i32 = 104;
/// Columns for labels.
const LABELS: i32 = 220;

impl Strips {
    /// The least and the most of a measure over all classes.
    fn ends(&self, measure: usize) -> (f64, f64) {
        let spreads = self.classes.iter().filter_map(|(_, spreads)| spreads[measure]);
        let (least, most) = spreads
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(least, most), Spread(five)| {
                (five[0].min(least), five[4].max(most))
            });
        if most > least { (least, most) } else { (least - 0.5, least + 0.5) }
    }
}

impl Chart for Strips {
    fn height(&self) -> u32 {
        (HEAD + self.classes.len().min(MOST) as i32 * ROW + MARGIN + 20) as u32
    }

    fn draw<B: DrawingBackend>(&self, page: &Page<'_, B>) -> Result<(), Wrong<B>> {
        page.head(&self.title, &self.below)?;
        let count = self.measures.len().max(1) as i32;
        let wide = (WIDTH as i32 - 2 * MARGIN - LABELS) / count;
        let shown = self.classes.len().min(MOST);
        let bottom = HEAD + shown as i32 * ROW;
        for (measure, (name, written)) in self.measures.iter().enumerate() {
            let left = MARGIN + LABELS + measure as i32 * wide;
            let room = wide - 40;
            let (least, most) = self.ends(measure);
            let place =
                |value: f64| left + ((value - least) / (most - least) * f64::from(room)) as i32;
            page.write(name, (left, HEAD - 30), Side::Right, LETTERS, true, INK)?;
            page.write(&written(least), (left, HEAD - 12), Side::Right, 12, false, PALE)?;
            page.write(&written(most), (left + room, HEAD - 12), Side::Left, 12, false, PALE)?;
            for (y, (_, spreads)) in
                (HEAD..).step_by(ROW as usize).zip(self.classes.iter().take(shown))
            {
                let Some(Spread(five)) = spreads[measure] else { continue };
                let middle = y + ROW / 2;
                let across = |from: f64, to: f64| (place(from), (place(to) - place(from)).max(1));
                let (x, length) = across(five[0], five[4]);
                page.fill(x, middle, length, 1, PALE)?;
                let (x, length) = across(five[1], five[3]);
                page.fill(x, middle - 3, length, 7, MARK)?;
                page.fill(place(five[2]) - 1, middle - 6, 3, 13, INK)?;
            }
        }
        for (y, (class, _)) in (HEAD..).step_by(ROW as usize).zip(self.classes.iter().take(shown)) {
            let at = (MARGIN + LABELS - 10, y + ROW / 2);
            page.write(&short(class), at, Side::Left, LETTERS, false, INK)?;
        }
        if self.classes.len() > shown {
            let more = format!("... {} more classes", self.classes.len() - shown);
            page.write(&more, (MARGIN + LABELS, bottom + 12), Side::Right, LETTERS, false, PALE)?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_spread_leaves_the_outermost_out() {
        let numbers = (0..=100).map(f64::from).collect();
        assert_eq!(Spread::new(numbers), Some(Spread([5.0, 25.0, 50.0, 75.0, 95.0])));
        assert_eq!(Spread::new(vec![3.0]), Some(Spread([3.0; 5])));
        assert_eq!(Spread::new(Vec::new()), None);
    }
}
