//! Sheets of equal cells: a page of images that fill its width, each with two lines below it.

use sieve_core::reading::Pixels;

use super::canvas::{Canvas, Colour};
use super::fitting::within;
use super::layout::{GAP, LINE, MARGIN, TITLE};
use super::look::{INK, MARK, NAME_LETTERS, PALE, PAPER, SMALL_LETTERS, TITLE_LETTERS, WARN};

/// In place of an image that cannot be read any more.
const GONE: Colour = [228, 228, 224];
/// Columns of a cell from which on an image and a name can be known: 148 as on all sheets.
const USUAL: u32 = 148;
/// Lines below an image.
const LINES: u32 = 2;

/// What a cell's edge says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mark {
    /// Nothing.
    None,
    /// Something is said of it.
    Note,
    /// Something is wrong with it.
    Wrong,
}

/// One image.
#[derive(Clone, Debug)]
pub struct Cell {
    /// The number of its record; none of what is no single image.
    pub record: Option<usize>,
    /// Its pixels, of any size; none where it cannot be read.
    pub pixels: Option<Pixels>,
    /// A name and a line more.
    pub lines: [String; 2],
    /// What its edge says.
    pub mark: Mark,
}

/// How the cells of a page stand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct GridLayout {
    /// Cells side by side.
    pub columns: u32,
    /// Rows that a page has room for.
    pub rows: u32,
    /// Columns of a cell in pixels.
    pub cell_width: u32,
    /// Rows of its image.
    pub cell_height: u32,
}

impl GridLayout {
    /// For a page of this size: cells fill its width.
    pub fn new(page: (u32, u32), columns: Option<u32>) -> Self {
        let room = page.0.saturating_sub(2 * MARGIN) + GAP;
        let columns = columns.unwrap_or((room / (USUAL + GAP)).max(1));
        let cell_width = (room / columns).saturating_sub(GAP).max(16);
        let cell_height = (cell_width * 3 / 4).max(12);
        let rows = page.1.saturating_sub(TITLE + MARGIN) / (cell_height + LINES * LINE + GAP);
        GridLayout { columns, rows: rows.max(1), cell_width, cell_height }
    }

    /// Cells of a page.
    pub fn cells(&self) -> usize {
        (self.columns * self.rows) as usize
    }

    /// Where a cell stands.
    pub fn place(&self, cell: usize) -> (u32, u32) {
        let (row, column) = (cell as u32 / self.columns, cell as u32 % self.columns);
        (
            MARGIN + column * (self.cell_width + GAP),
            TITLE + row * (self.cell_height + LINES * LINE + GAP),
        )
    }

    /// An image in the size in which it is shown: all of it, as large as fits.
    pub fn fitted(&self, pixels: &Pixels) -> Pixels {
        within(pixels, self.cell_width, self.cell_height)
    }
}

/// Paints a page; places without a cell stay empty.
pub fn paint_grid(title: &str, layout: &GridLayout, cells: &[Option<Cell>]) -> Pixels {
    let rows = (cells.len() as u32).div_ceil(layout.columns);
    let used = (cells.len() as u32).min(layout.columns).max(layout.columns.min(4));
    let width = 2 * MARGIN + used * (layout.cell_width + GAP) - GAP;
    let height = TITLE + rows * (layout.cell_height + LINES * LINE + GAP) + MARGIN - GAP;
    let mut canvas = Canvas::new(width, height, PAPER);
    let title = TITLE_LETTERS.start_of(title, width - 2 * MARGIN);
    canvas.write(&title, MARGIN, GAP, &TITLE_LETTERS, INK);
    for (at, cell) in cells.iter().enumerate() {
        let Some(cell) = cell else { continue };
        let (x, y) = layout.place(at);
        let shown = match &cell.pixels {
            Some(pixels) => {
                // Standing on the text, so that rows of images of several shapes have one foot.
                canvas.lay(pixels, x, y + layout.cell_height - pixels.height_px, 1, 1);
                pixels.height_px
            }
            None => {
                canvas.fill(x, y, layout.cell_width, layout.cell_height, GONE);
                layout.cell_height
            }
        };
        let top = y + layout.cell_height - shown;
        let colour = match cell.mark {
            Mark::None => None,
            Mark::Note => Some(MARK),
            Mark::Wrong => Some(WARN),
        };
        if let Some(colour) = colour {
            canvas.fill(x - 4, top, 3, shown, colour);
        }
        let colour = if cell.mark == Mark::Wrong { WARN } else { INK };
        let below = y + layout.cell_height + 1;
        let name = NAME_LETTERS.end_of(&cell.lines[0], layout.cell_width);
        canvas.write(&name, x, below, &NAME_LETTERS, colour);
        // Of a file the end of its name tells, of a reason its beginning.
        let line = match cell.mark {
            Mark::None => SMALL_LETTERS.end_of(&cell.lines[1], layout.cell_width),
            _ => SMALL_LETTERS.start_of(&cell.lines[1], layout.cell_width),
        };
        canvas.write(&line, x, below + LINE, &SMALL_LETTERS, PALE);
    }
    canvas.into_pixels()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_are_filled_and_pictures_keep_their_shape() {
        for (page, columns) in [
            ((1280, 800), None),
            ((1280, 800), Some(20)),
            ((640, 400), None),
            ((300, 300), Some(1)),
        ] {
            let layout = GridLayout::new(page, columns);
            let last = layout.place(layout.cells() - 1);
            assert!(last.0 + layout.cell_width <= page.0, "{layout:?}");
            assert!(
                layout.rows == 1 || last.1 + layout.cell_height + 2 * LINE <= page.1,
                "{layout:?}"
            );
            assert!(
                page.0 - last.0 - layout.cell_width < MARGIN + layout.columns,
                "no room is left: {layout:?}"
            );
        }
        let layout = GridLayout::new((1280, 800), None);
        let fitted = layout.fitted(&Pixels { width_px: 10, height_px: 40, data: vec![9; 1200] });
        assert_eq!(
            (fitted.width_px, fitted.height_px),
            (layout.cell_height / 4, layout.cell_height)
        );
        let cell = Cell {
            record: None,
            pixels: Some(fitted),
            lines: [String::new(), String::new()],
            mark: Mark::Wrong,
        };
        let painted = paint_grid("t", &layout, &[None, Some(cell), None]);
        let (x, y) = layout.place(1);
        assert_eq!(painted.at(x + 2, y + 2), [9; 3]);
        assert_eq!(painted.at(x - 3, y + 2), WARN);
        let (x, y) = layout.place(0);
        assert_eq!(painted.at(x + 2, y + 2), PAPER);
    }
}
