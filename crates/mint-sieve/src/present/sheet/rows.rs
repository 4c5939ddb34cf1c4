//! Sheets of rows of labelled pictures: the groups of `duplicates`, the answer of `nearest`.

use sieve_core::augment::averaged;
use sieve_core::reading::Pixels;

use super::canvas::{Canvas, Colour};
use super::layout::{GAP, LINE, MARGIN, TITLE};
use super::look::{INK, MARK, NAME_LETTERS, PALE, PAPER, SMALL_LETTERS, TITLE_LETTERS};

/// In place of a picture that cannot be read any more.
const GONE: Colour = [228, 228, 224];

/// The room for one picture, in pixels.
const TILE: (u32, u32) = (148, 111);
/// Pictures in a row.
pub const COLUMNS: usize = 8;
/// Lines of text under a picture.
const LINES: u32 = 3;
/// Height of the line above a row.
const HEAD: u32 = 16;

/// One picture with its label.
#[derive(Clone, Debug)]
pub struct Labelled {
    /// Collection and record, where the pixels are to be read.
    pub record: Option<(usize, usize)>,
    /// The picture, fitted; none until it was read, or when it cannot be.
    pub pixels: Option<Pixels>,
    /// What stands under it: a name and two lines more.
    pub lines: [String; 3],
    /// Whether it is the one that the row is about.
    pub is_marked: bool,
}

/// One row.
#[derive(Clone, Debug)]
pub struct TileRow {
    /// What stands above it.
    pub head: String,
    /// Its pictures.
    pub tiles: Vec<Labelled>,
}

/// A picture as large as a tile has room for: reduced by averaging, or each pixel repeated.
pub fn fitted(pixels: &Pixels) -> Pixels {
    let shrink = pixels.width_px.div_ceil(TILE.0).max(pixels.height_px.div_ceil(TILE.1)).max(1);
    averaged(pixels, shrink)
}

/// Paints the rows, with `title` above them. A row of more pictures than fit side by side goes on in
/// the next line.
pub fn paint_rows(title: &str, rows: &[TileRow]) -> Pixels {
    let height = |row: &TileRow| {
        HEAD + row.tiles.len().div_ceil(COLUMNS).max(1) as u32 * (TILE.1 + LINES * LINE + GAP)
    };
    let most = rows.iter().map(|row| row.tiles.len()).max().unwrap_or(0).clamp(4, COLUMNS) as u32;
    let width = 2 * MARGIN + most * (TILE.0 + GAP) - GAP;
    let total = TITLE + rows.iter().map(height).sum::<u32>() + MARGIN;
    let mut canvas = Canvas::new(width, total, PAPER);
    canvas.write(
        &TITLE_LETTERS.end_of(title, width - 2 * MARGIN),
        MARGIN,
        GAP,
        &TITLE_LETTERS,
        INK,
    );
    let mut top = TITLE;
    for row in rows {
        let head = NAME_LETTERS.end_of(&row.head, width - 2 * MARGIN);
        canvas.write(&head, MARGIN, top, &NAME_LETTERS, INK);
        for (number, tile) in (0u32..).zip(&row.tiles) {
            let (line, column) = (number / COLUMNS as u32, number % COLUMNS as u32);
            let x = MARGIN + column * (TILE.0 + GAP);
            let y = top + HEAD + line * (TILE.1 + LINES * LINE + GAP);
            paint_tile(&mut canvas, tile, x, y);
        }
        top += height(row);
    }
    canvas.into_pixels()
}

fn paint_tile(canvas: &mut Canvas, tile: &Labelled, x: u32, y: u32) {
    match &tile.pixels {
        Some(pixels) => {
            // Its foot stands on the text.
            canvas.lay(pixels, x, y + TILE.1 - shown_height(pixels), 1, enlargement(pixels));
        }
        None => canvas.fill(x, y, TILE.0, TILE.1, GONE),
    }
    let height = tile.pixels.as_ref().map_or(TILE.1, shown_height);
    if tile.is_marked {
        canvas.fill(x - 4, y + TILE.1 - height, 2, height, MARK);
    }
    let colours = [INK, PALE, PALE];
    for (line, (text, colour)) in (0u32..).zip(tile.lines.iter().zip(colours)) {
        let text = SMALL_LETTERS.end_of(text, TILE.0);
        canvas.write(&text, x, y + TILE.1 + 1 + line * LINE, &SMALL_LETTERS, colour);
    }
}

/// How often each pixel of a small picture is repeated.
fn enlargement(pixels: &Pixels) -> u32 {
    (TILE.0 / pixels.width_px.max(1)).min(TILE.1 / pixels.height_px.max(1)).max(1)
}

/// Rows of the sheet that a fitted picture takes.
fn shown_height(pixels: &Pixels) -> u32 {
    (pixels.height_px * enlargement(pixels)).min(TILE.1)
}
