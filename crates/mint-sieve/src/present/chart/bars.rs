//! Bars: a row a class, each made of parts one after the other; of very many classes the ends and the shape.

use crate::console::safe;
use plotters::prelude::DrawingBackend;

use super::paper::{Chart, LETTERS, MARGIN, Page, Side, WIDTH, Wrong};
use crate::present::sheet::{INK, PALE, WARN};

/// One row.
#[derive(Clone, Debug)]
pub struct Bar {
    /// What it is called.
    pub label: String,
    /// How much of each series, in their order.
    pub parts: Vec<f64>,
    /// How much of each there should be, where that is known.
    pub wanted: Vec<f64>,
    /// What stands at its end.
    pub note: String,
}

/// A value that all rows are held against.
#[derive(Clone, Debug)]
pub struct Line {
    /// Where it is.
    pub at: f64,
    /// What it is.
    pub label: String,
}

/// A chart of bars.
#[derive(Clone, Debug)]
pub struct Bars {
    /// The line at the top.
    pub title: String,
    /// What stands below it.
    pub below: String,
    /// What the parts are called.
    pub series: Vec<String>,
    /// The rows, in their order.
    pub bars: Vec<Bar>,
    /// A value that all are held against.
    pub line: Option<Line>,
}

/// Colours of series that people tell apart who see colours in any way, from dark to light so that they differ in print
/// too.
const SERIES: [[u8; 3]; 6] =
    [[32, 92, 72], [212, 140, 44], [88, 108, 168], [140, 92, 128], [136, 168, 152], [96, 96, 96]];
/// Rows that are shown one by one; of more the largest and the smallest, and the shape of all.
const MOST: usize = 40;
/// Rows at either end of very many.
const ENDS: usize = 12;
/// Height of a row.
const ROW: i32 = 20;
/// Height of what stands above the rows.
const HEAD: i32 = 100;
/// Columns for labels.
const LABELS: i32 = 220;
/// Columns for notes.
const NOTES: i32 = 190;
/// Height of the shape of very many classes.
const SHAPE: i32 = 180;

impl Bars {
    fn is_many(&self) -> bool {
        self.bars.len() > MOST
    }

    /// The rows that are shown one by one; none between the two ends.
    fn shown(&self) -> Vec<Option<&Bar>> {
        if !self.is_many() {
            return self.bars.iter().map(Some).collect();
        }
        let (first, last) = (&self.bars[..ENDS], &self.bars[self.bars.len() - ENDS..]);
        first.iter().map(Some).chain([None]).chain(last.iter().map(Some)).collect()
    }

    fn most(&self) -> f64 {
        let all =
            self.bars.iter().map(|bar| bar.parts.iter().sum::<f64>().max(bar.wanted.iter().sum()));
        let line = self.line.as_ref().map_or(0.0, |line| line.at);
        all.fold(line, f64::max).max(1.0)
    }

    fn legend<B: DrawingBackend>(&self, page: &Page<'_, B>) -> Result<(), Wrong<B>> {
        let mut x = MARGIN + LABELS;
        if self.series.len() > 1 {
            for (at, name) in self.series.iter().enumerate() {
                page.fill(x, HEAD - 28, 14, 14, SERIES[at % SERIES.len()])?;
                page.write(name, (x + 20, HEAD - 21), Side::Right, LETTERS, false, INK)?;
                x += 44 + 9 * name.chars().count() as i32;
            }
        }
        if self.bars.iter().any(|bar| !bar.wanted.is_empty()) {
            page.fill(x, HEAD - 30, 2, 18, INK)?;
            page.write("asked for", (x + 8, HEAD - 21), Side::Right, LETTERS, false, INK)?;
            x += 100;
        }
        if let Some(line) = &self.line {
            page.fill(x, HEAD - 30, 2, 18, WARN)?;
            page.write(&line.label, (x + 8, HEAD - 21), Side::Right, LETTERS, false, INK)?;
        }
        Ok(())
    }

    /// One row, whose values are `scale` columns each.
    fn row<B: DrawingBackend>(
        &self,
        page: &Page<'_, B>,
        bar: &Bar,
        y: i32,
        scale: f64,
    ) -> Result<(), Wrong<B>> {
        let left = MARGIN + LABELS;
        page.write(&short(&bar.label), (left - 10, y + ROW / 2), Side::Left, LETTERS, false, INK)?;
        let mut from = 0.0;
        for (at, part) in bar.parts.iter().enumerate() {
            let (x, end) = (left + (from * scale) as i32, left + ((from + part) * scale) as i32);
            if *part > 0.0 {
                page.fill(x, y + 3, (end - x).max(1), ROW - 6, SERIES[at % SERIES.len()])?;
            }
            from += part;
        }
        let mut wanted = 0.0;
        for part in &bar.wanted {
            wanted += part;
            page.fill(left + (wanted * scale) as i32 - 1, y + 1, 2, ROW - 2, INK)?;
        }
        let end = left + (from.max(wanted) * scale) as i32;
        page.write(&bar.note, (end + 8, y + ROW / 2), Side::Right, LETTERS, false, PALE)
    }

    /// Every class as a thin column, the largest first: how fast they become smaller.
    fn shape<B: DrawingBackend>(&self, page: &Page<'_, B>, top: i32) -> Result<(), Wrong<B>> {
        let room = WIDTH as i32 - 2 * MARGIN;
        let most = self.most();
        let label = format!("All {} classes, largest first", self.bars.len());
        page.write(&label, (MARGIN, top + 10), Side::Right, LETTERS, true, INK)?;
        let foot = top + SHAPE - 10;
        let tall = f64::from(SHAPE - 40);
        let count = self.bars.len() as i32;
        for (at, bar) in (0..).zip(&self.bars) {
            let (x, next) = (MARGIN + at * room / count, MARGIN + (at + 1) * room / count);
            let mut y = foot;
            for (series, part) in bar.parts.iter().enumerate() {
                let height = (part / most * tall) as i32;
                if height > 0 {
                    page.fill(
                        x,
                        y - height,
                        (next - x - 1).max(1),
                        height,
                        SERIES[series % SERIES.len()],
                    )?;
                }
                y -= height;
            }
        }
        if let Some(line) = &self.line {
            page.fill(MARGIN, foot - (line.at / most * tall) as i32, room, 2, WARN)?;
        }
        page.fill(MARGIN, foot, room, 1, PALE)
    }
}

impl Chart for Bars {
    fn height(&self) -> u32 {
        let shape = if self.is_many() { SHAPE } else { 0 };
        (HEAD + self.shown().len() as i32 * ROW + shape + MARGIN) as u32
    }

    fn draw<B: DrawingBackend>(&self, page: &Page<'_, B>) -> Result<(), Wrong<B>> {
        page.head(&self.title, &self.below)?;
        self.legend(page)?;
        let room = WIDTH as i32 - 2 * MARGIN - LABELS - NOTES;
        let scale = f64::from(room) / self.most();
        let shown = self.shown();
        let bottom = HEAD + shown.len() as i32 * ROW;
        // Beneath the rows, so that numbers stay readable.
        if let Some(line) = &self.line {
            page.fill(MARGIN + LABELS + (line.at * scale) as i32, HEAD, 2, bottom - HEAD, WARN)?;
        }
        for (y, bar) in (HEAD..).step_by(ROW as usize).zip(&shown) {
            match bar {
                Some(bar) => self.row(page, bar, y, scale)?,
                None => {
                    let between = format!("... {} classes between", self.bars.len() - 2 * ENDS);
                    page.write(
                        &between,
                        (MARGIN + LABELS, y + ROW / 2),
                        Side::Right,
                        LETTERS,
                        false,
                        PALE,
                    )?;
                }
            }
        }
        if self.is_many() {
            self.shape(page, bottom + 10)?;
        }
        Ok(())
    }
}

/// A label that fits beside the rows.
pub fn short(label: &str) -> String {
    const MOST: usize = 28;
    // Escapes are no shorter when they are cut in two.
    let label = &safe(label);
    if label.chars().count() <= MOST {
        return label.to_owned();
    }
    let start: String = label.chars().take(MOST - 1).collect();
    format!("{start}…")
}

#[cfg(test)]
mod tests {
    use super::super::drawn;
    use super::*;
    use std::path::Path;

    fn bars(count: usize) -> Bars {
        let bar = |at: usize| Bar {
            label: format!("<herb & {at}>"),
            parts: vec![(count - at) as f64 * 3.0, 2.0],
            wanted: Vec::new(),
            note: at.to_string(),
        };
        Bars {
            title: "Images by class".into(),
            below: String::new(),
            series: vec!["train".into(), "test".into()],
            bars: (0..count).map(bar).collect(),
            line: Some(Line { at: 20.0, label: "the floor".into() }),
        }
    }

    #[test]
    fn names_are_text_and_many_classes_fit_a_page() {
        let svg = String::from_utf8(drawn(&bars(7), Path::new("a.svg")).unwrap()).unwrap();
        assert!(svg.starts_with("<svg") && svg.contains("&lt;herb &amp; 3&gt;"), "{svg}");
        assert!(!svg.contains("<herb"));
        assert_eq!(svg, String::from_utf8(drawn(&bars(7), Path::new("b.svg")).unwrap()).unwrap());
        let many = bars(257);
        assert!(many.height() <= 860, "{}", many.height());
        let svg = String::from_utf8(drawn(&many, Path::new("c.SVG")).unwrap()).unwrap();
        assert!(svg.contains("233 classes between") && svg.contains("All 257 classes"));
        let png = drawn(&many, Path::new("d.png")).unwrap();
        assert!(png.starts_with(b"\x89PNG"));
    }
}
