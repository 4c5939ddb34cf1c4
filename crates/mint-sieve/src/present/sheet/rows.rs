//! Sheets of rows of labelled images: the groups of `duplicates`, the answer of `nearest`.

use sieve_core::augment::averaged;
use sieve_core::difference::{Place, places};
use sieve_core::reading::Pixels;

use super::canvas::{Canvas, Colour};
use super::layout::{GAP, LINE, MARGIN, TITLE};
use super::look::{INK, MARK, NAME_LETTERS, PALE, PAPER, SMALL_LETTERS, TITLE_LETTERS, WARN};

/// In place of an image that cannot be read any more.
const GONE: Colour = [228, 228, 224];

/// The room for one image, in pixels.
const TILE: (u32, u32) = (148, 111);
/// Images in a row.
pub const COLUMNS: usize = 8;
/// Lines of text under an image.
const LINES: u32 = 3;
/// Height of the line above a row.
const HEAD: u32 = 18;
/// Distance of a row from the next.
const APART: u32 = 10;

/// One image with its label.
#[derive(Clone, Debug)]
pub struct Labelled {
    /// Collection and record, where the pixels are to be read.
    pub record: Option<(usize, usize)>,
    /// The image, fitted; none until it was read, or when it cannot be.
    pub pixels: Option<Pixels>,
    /// What stands under it: a name and two lines more.
    pub lines: [String; 3],
    /// Whether it is the one that the row is about.
    pub is_marked: bool,
    /// What it is to the others.
    pub role: Role,
    /// Where it differs from the one that it is compared with.
    pub places: Vec<Place>,
}

impl Labelled {
    /// The image of a record of the only collection, with nothing to compare it with.
    pub fn of_record(record: usize, lines: [String; 3], is_marked: bool) -> Self {
        let (record, pixels, places) = (Some((0, record)), None, Vec::new());
        Labelled { record, pixels, lines, is_marked, role: Role::Alone, places }
    }

    /// An image that was made, not read.
    pub fn of_pixels(pixels: Pixels, lines: [String; 3]) -> Self {
        let (record, pixels, places) = (None, Some(pixels), Vec::new());
        Labelled { record, pixels, lines, is_marked: false, role: Role::Alone, places }
    }
}

/// What an image is to the others of a sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// Nothing.
    Alone,
    /// Others are compared with it.
    Reference,
    /// The same image but for something: where that is, is outlined.
    Compared,
}

/// Finds where images differ from the one that they are compared with: that of their row, or else of a row before.
pub fn outline(rows: &mut [TileRow]) {
    let mut reference: Option<Pixels> = None;
    for row in rows {
        let own = row.tiles.iter().find(|tile| tile.role == Role::Reference);
        if let Some(own) = own {
            reference = own.pixels.clone();
        }
        for tile in row.tiles.iter_mut().filter(|tile| tile.role == Role::Compared) {
            if let (Some(reference), Some(pixels)) = (&reference, &tile.pixels) {
                tile.places = places(reference, pixels);
            }
        }
    }
}

/// One row.
#[derive(Clone, Debug)]
pub struct TileRow {
    /// What stands above it.
    pub head: String,
    /// Its images.
    pub tiles: Vec<Labelled>,
}

/// An image as large as a tile has room for: reduced by averaging, or each pixel repeated.
pub fn fitted(pixels: &Pixels) -> Pixels {
    let (width, height) = TILE;
    let shrink = pixels.width_px.div_ceil(width).max(pixels.height_px.div_ceil(height)).max(1);
    averaged(pixels, shrink)
}

/// Lines of rows that a page of usual size has room for.
const PAGE_LINES: usize = 4;

/// Rows that stand in one line: as many as fit side by side. A row of more images than that goes on in the next line.
fn in_lines(sizes: impl Iterator<Item = usize>) -> Vec<std::ops::Range<usize>> {
    let mut lines: Vec<std::ops::Range<usize>> = Vec::new();
    let mut used = COLUMNS + 1;
    for (at, size) in sizes.enumerate() {
        let size = size.clamp(1, COLUMNS + 1);
        match lines.last_mut() {
            Some(line) if used + size <= COLUMNS => line.end = at + 1,
            _ => {
                lines.push(at..at + 1);
                used = 0;
            }
        }
        used += size;
    }
    lines
}

/// How many rows of these numbers of images fill the first page.
pub fn first_page(sizes: impl Iterator<Item = usize>) -> usize {
    in_lines(sizes).into_iter().take(PAGE_LINES).next_back().map_or(0, |line| line.end)
}

/// Paints the rows, with `title` above them; short ones share a line.
pub fn paint_rows(title: &str, rows: &[TileRow]) -> Pixels {
    let below = LINES * LINE + GAP;
    let lines = in_lines(rows.iter().map(|row| row.tiles.len()));
    let parts = |row: &TileRow| row.tiles.len().div_ceil(COLUMNS);
    // Images that stand side by side have one foot.
    let tallest = |line: &[TileRow], part: usize| {
        line.iter()
            .filter_map(|row| row.tiles.chunks(COLUMNS).nth(part))
            .map(tallest)
            .max()
            .unwrap_or(0)
    };
    let height = |line: &[TileRow]| {
        let most = line.iter().map(parts).max().unwrap_or(0);
        HEAD + (0..most).map(|part| tallest(line, part) + below).sum::<u32>() + APART
    };
    let columns = |line: &std::ops::Range<usize>| {
        rows[line.clone()].iter().map(|row| row.tiles.len().min(COLUMNS)).sum::<usize>()
    };
    let most = lines.iter().map(columns).max().unwrap_or(0).clamp(4, COLUMNS) as u32;
    let width = 2 * MARGIN + most * (TILE.0 + GAP) - GAP;
    let total = TITLE + lines.iter().map(|line| height(&rows[line.clone()])).sum::<u32>() + MARGIN;
    let mut canvas = Canvas::new(width, total, PAPER);
    let title = TITLE_LETTERS.end_of(title, width - 2 * MARGIN);
    canvas.write(&title, MARGIN, GAP, &TITLE_LETTERS, INK);
    let mut top = TITLE;
    for line in &lines {
        let line = &rows[line.clone()];
        let mut left = MARGIN;
        for row in line {
            let wide = row.tiles.len().clamp(1, COLUMNS) as u32 * (TILE.0 + GAP);
            let room = if line.len() == 1 { width - 2 * MARGIN } else { wide - GAP };
            let head = NAME_LETTERS.start_of(&row.head, room);
            canvas.write(&head, left, top, &NAME_LETTERS, INK);
            let mut foot = top + HEAD;
            for (part, tiles) in row.tiles.chunks(COLUMNS).enumerate() {
                foot += tallest(line, part);
                for (column, tile) in (0u32..).zip(tiles) {
                    paint_tile(&mut canvas, tile, left + column * (TILE.0 + GAP), foot);
                }
                foot += below;
            }
            left += wide;
        }
        top += height(line);
    }
    canvas.into_pixels()
}

/// Rows of the sheet that the tallest image of a line takes; the others stand on the same foot.
fn tallest(line: &[Labelled]) -> u32 {
    line.iter().map(shown_height).max().unwrap_or(0)
}

/// Paints an image that stands on `foot`, and the text under it.
fn paint_tile(canvas: &mut Canvas, tile: &Labelled, x: u32, foot: u32) {
    let height = shown_height(tile);
    match &tile.pixels {
        Some(pixels) => canvas.lay(pixels, x, foot - height, 1, enlargement(pixels)),
        None => canvas.fill(x, foot - height, TILE.0, height, GONE),
    }
    if let Some(pixels) = &tile.pixels {
        let width = pixels.width_px * enlargement(pixels);
        for place in &tile.places {
            outline_place(canvas, place, (x, foot - height), (width, height));
        }
    }
    if tile.is_marked {
        canvas.fill(x - 4, foot - height, 2, height, MARK);
    }
    let colours = [INK, PALE, PALE];
    for (line, (text, colour)) in (0u32..).zip(tile.lines.iter().zip(colours)) {
        let text = SMALL_LETTERS.end_of(text, TILE.0);
        canvas.write(&text, x, foot + 1 + line * LINE, &SMALL_LETTERS, colour);
    }
}

/// Thickness of an outline, and its distance from what it is around.
const STROKE: u32 = 2;

/// Outlines a place of an image that is painted at a corner with these sides: dark within light, so that it shows on any
/// ground.
fn outline_place(
    canvas: &mut Canvas,
    place: &Place,
    (x, y): (u32, u32),
    (width, height): (u32, u32),
) {
    let along = |share: f32, length: u32| (share * length as f32).round() as u32;
    let (left, right) = (along(place.left, width), along(place.right, width));
    let (top, bottom) = (along(place.top, height), along(place.bottom, height));
    for (out, colour) in [(2 * STROKE, PAPER), (STROKE, WARN)] {
        // As far as the image goes.
        let (left, top) = (left.saturating_sub(out), top.saturating_sub(out));
        let (right, bottom) = ((right + out).min(width), (bottom + out).min(height));
        canvas.frame((x + left, y + top), (right - left, bottom - top), STROKE, colour);
    }
}

/// How often each pixel of a small image is repeated.
fn enlargement(pixels: &Pixels) -> u32 {
    (TILE.0 / pixels.width_px.max(1)).min(TILE.1 / pixels.height_px.max(1)).max(1)
}

/// Rows of the sheet that a fitted image takes, or what stands in its place.
fn shown_height(tile: &Labelled) -> u32 {
    let of = |pixels: &Pixels| (pixels.height_px * enlargement(pixels)).min(TILE.1);
    tile.pixels.as_ref().map_or(TILE.1, of)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn short_rows_share_a_line() {
        let lines = |sizes: &[usize]| in_lines(sizes.iter().copied());
        assert_eq!(lines(&[2, 3, 3, 2, 9, 1, 8]), [0..3, 3..4, 4..5, 5..6, 6..7]);
        assert_eq!(first_page([2usize, 2, 2, 2, 5, 8, 3, 3, 8].into_iter()), 8);
        assert_eq!(first_page(std::iter::empty()), 0);
    }

    /// An image of 120 x 90 with a pattern, and where it is wanted a mark.
    fn tile(role: Role, pattern: u32, is_marked: bool) -> Labelled {
        let value = |x: u32, y: u32| -> [u8; 3] {
            if is_marked && (60..90).contains(&x) && (30..60).contains(&y) {
                return [255, 0, 255];
            }
            let level = 60 + (x / (7 + pattern) + y / (5 + pattern)) % 5 * 30;
            [level as u8, (level / 2) as u8, 40]
        };
        let data = (0..90).flat_map(|y| (0..120).flat_map(move |x| value(x, y))).collect();
        Labelled {
            record: None,
            pixels: Some(Pixels { width_px: 120, height_px: 90, data }),
            lines: Default::default(),
            is_marked: false,
            role,
            places: Vec::new(),
        }
    }

    #[test]
    fn copies_are_outlined_where_they_differ_from_the_one_of_their_row() {
        let row = |tiles| TileRow { head: String::new(), tiles };
        let mut rows = vec![
            row(vec![tile(Role::Reference, 0, false), tile(Role::Compared, 0, true)]),
            // The one that others are compared with need not be the first.
            row(vec![tile(Role::Compared, 4, false), tile(Role::Reference, 4, false)]),
            row(vec![tile(Role::Alone, 4, true)]),
        ];
        outline(&mut rows);
        let counts: Vec<usize> =
            rows.iter().flat_map(|row| &row.tiles).map(|tile| tile.places.len()).collect();
        assert_eq!(counts, [0, 1, 0, 0, 0]);
        let Place { left, top, right, bottom } = rows[0].tiles[1].places[0];
        let near = |a: f32, b: f32| (a - b).abs() < 0.06;
        assert!(near(left, 0.5) && near(right, 0.75) && near(top, 0.333) && near(bottom, 0.667));
        // It is drawn around the place, on its own image only.
        let warned = |rows: &[TileRow]| -> Vec<(u32, u32)> {
            let sheet = paint_rows("", rows);
            let at = |place: u32| (place % sheet.width_px, place / sheet.width_px);
            let pixels = sheet.data.as_chunks::<3>().0.iter();
            (0..).zip(pixels).filter(|(_, rgb)| **rgb == WARN).map(|(place, _)| at(place)).collect()
        };
        let drawn = warned(&rows);
        let second = MARGIN + TILE.0 + GAP;
        assert!(drawn.iter().all(|(x, _)| (second..second + TILE.0).contains(x)), "{drawn:?}");
        let width = drawn.iter().map(|(x, _)| x).max().unwrap()
            - drawn.iter().map(|(x, _)| x).min().unwrap();
        assert!((28..46).contains(&width), "{width}");
        rows[0].tiles[1].places.clear();
        assert!(warned(&rows).is_empty());
    }
}
