//! The sheet of `preview`: a row an image, first without augmentation, then draw by draw.

use sieve_core::augment::cost::ToneCost;
use sieve_core::augment::{DrawnStep, Projective};
use sieve_core::reading::Pixels;

use super::canvas::{Canvas, Colour};
use super::layout::{GAP, LINE, Layout, MARGIN};
use super::lettering::Lettering;
use super::look::{INK, MARK, NAME_LETTERS, PALE, PAPER, SMALL_LETTERS, TITLE_LETTERS, WARN};

/// One frame on the sheet.
#[derive(Clone, Debug)]
pub struct Tile {
    /// What is seen.
    pub pixels: Pixels,
    /// What stands under it, the most telling first.
    pub words: Vec<String>,
    /// What its edge says.
    pub edge: Edge,
    /// What was drawn; none for the image without augmentation.
    pub drawn: Drawn,
}

/// What the edge of a tile says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edge {
    /// Nothing.
    None,
    /// This is the image without augmentation.
    Plain,
    /// Here a limit is crossed.
    Beyond,
}

/// What was done to a tile.
#[derive(Clone, Debug, Default)]
pub struct Drawn {
    /// The number of the draw, from 1; 0 without augmentation.
    pub number: usize,
    /// The steps that happened.
    pub steps: Vec<DrawnStep>,
    /// The map from image to frame.
    pub to_frame: Option<Projective>,
    /// Share of the frame outside of the image.
    pub outside_share: f64,
    /// What happened to the values.
    pub tone: ToneCost,
}

/// One image on the sheet, under one policy.
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
    /// Which of the policies.
    pub policy: usize,
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
    /// The images.
    pub rows: Vec<Row>,
}

/// Paints the sheet.
pub fn paint(sheet: &Sheet) -> Pixels {
    let layout = &sheet.layout;
    let mut canvas = Canvas::new(layout.width(), layout.height(), PAPER);
    let title = TITLE_LETTERS.start_of(&sheet.title, layout.width() - 2 * MARGIN);
    canvas.write(&title, MARGIN, GAP, &TITLE_LETTERS, INK);
    for (row, image) in (0..).zip(&sheet.rows) {
        for (column, tile) in (0..).zip(&image.tiles) {
            let (x, y) = layout.place(row, column);
            canvas.lay(&tile.pixels, x, y, layout.shrink, layout.enlarge);
            match tile.edge {
                Edge::None => {}
                Edge::Plain => canvas.fill(x - 4, y, 2, layout.tile_height, MARK),
                Edge::Beyond => canvas.fill(x - 4, y, 3, layout.tile_height, WARN),
            }
            for (line, (text, letters, colour)) in (0..).zip(lines(tile, layout.cell_width)) {
                canvas.write(&text, x, y + layout.tile_height + 1 + line * LINE, &letters, colour);
            }
        }
    }
    canvas.into_pixels()
}

type Line = (String, Lettering, Colour);

/// Two lines: more are not read.
fn lines(tile: &Tile, width: u32) -> Vec<Line> {
    if tile.edge == Edge::Plain {
        let letters = [(NAME_LETTERS, INK), (SMALL_LETTERS, PALE)];
        let lines = tile.words.iter().zip(letters);
        return lines
            .map(|(word, (letters, colour))| (letters.end_of(word, width), letters, colour))
            .collect();
    }
    let colour = if tile.edge == Edge::Beyond { WARN } else { INK };
    let colours = std::iter::once(colour).chain(std::iter::repeat(INK));
    let lines = SMALL_LETTERS.lines(&tile.words, width, super::layout::LINES as usize);
    lines.into_iter().zip(colours).map(|(line, colour)| (line, SMALL_LETTERS, colour)).collect()
}
