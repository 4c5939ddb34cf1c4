//! The sheet of `preview`: a row a picture, first without augmentation, then draw by draw.

use sieve_core::augment::{Draw, Warped};
use sieve_core::reading::Pixels;

use super::canvas::{Canvas, Colour};
use super::layout::{GAP, LINE, Layout, MARGIN};
use super::lettering::Lettering;
use super::look::{INK, MARK, NAME_LETTERS, PALE, PAPER, SMALL_LETTERS, TITLE_LETTERS};
use crate::present::table::visible;

/// One frame on the sheet.
#[derive(Clone, Debug)]
pub struct Tile {
    /// What was drawn.
    pub draw: Draw,
    /// The frame.
    pub warped: Warped,
}

/// One picture on the sheet.
#[derive(Clone, Debug)]
pub struct Row {
    /// Its path.
    pub path: String,
    /// Its class.
    pub class: String,
    /// Its split.
    pub split: Option<String>,
    /// Its sides in pixels, columns first.
    pub size_px: (u32, u32),
    /// Without augmentation, then the draws.
    pub tiles: Vec<Tile>,
}

/// All that a sheet shows.
#[derive(Clone, Debug)]
pub struct Sheet {
    /// The line at the top.
    pub title: String,
    /// Its measures.
    pub layout: Layout,
    /// The pictures.
    pub rows: Vec<Row>,
}

/// Paints the sheet.
pub fn paint(sheet: &Sheet) -> Pixels {
    let layout = &sheet.layout;
    let mut canvas = Canvas::new(layout.width(), layout.height(), PAPER);
    let title = TITLE_LETTERS.end_of(&sheet.title, layout.width() - 2 * MARGIN);
    canvas.write(&title, MARGIN, GAP, &TITLE_LETTERS, INK);
    for (row, image) in (0..).zip(&sheet.rows) {
        for (column, tile) in (0..).zip(&image.tiles) {
            let (x, y) = layout.place(row, column);
            canvas.lay(&tile.warped.pixels, x, y, layout.shrink, layout.enlarge);
            let lines = if column == 0 {
                canvas.fill(x - 4, y, 2, layout.tile_height, MARK);
                plain_lines(image, layout.cell_width)
            } else {
                drawn_lines(tile, layout.cell_width, layout.lines)
            };
            for (line, (text, letters, colour)) in (0..).zip(lines) {
                canvas.write(&text, x, y + layout.tile_height + 1 + line * LINE, &letters, colour);
            }
        }
    }
    canvas.into_pixels()
}

type Line = (String, Lettering, Colour);

fn plain_lines(image: &Row, width: u32) -> Vec<Line> {
    let name = image.path.rsplit('/').next().unwrap_or_default();
    let (columns, rows) = image.size_px;
    vec![
        (NAME_LETTERS.end_of(&visible(&image.class), width), NAME_LETTERS, INK),
        (SMALL_LETTERS.end_of(name, width), SMALL_LETTERS, INK),
        (SMALL_LETTERS.end_of(&format!("as is, {columns}x{rows}"), width), SMALL_LETTERS, PALE),
    ]
}

fn drawn_lines(tile: &Tile, width: u32, most: u32) -> Vec<Line> {
    let mut words: Vec<String> = tile.draw.steps.iter().map(|step| step.drawn.caption()).collect();
    if words.is_empty() {
        words.push("nothing".to_owned());
    }
    let share = tile.warped.outside_share;
    if share >= 0.0005 {
        words.push(format!("outside {:.1} %", share * 100.0));
    }
    let lines = SMALL_LETTERS.lines(&words, width, most as usize);
    lines.into_iter().map(|line| (line, SMALL_LETTERS, INK)).collect()
}
