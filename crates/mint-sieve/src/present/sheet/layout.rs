//! How many rows and columns of tiles a preview sheet has, and how large they are.

use sieve_core::augment::Frame;

/// Rows that a screen should hold: fewer show too little of a collection.
const ROWS: u32 = 4;
/// Columns that a screen should hold: fewer draws show too little of a policy.
const COLUMNS: u32 = 6;

/// Distance of the tiles from the edge of the sheet.
pub const MARGIN: u32 = 12;
/// Distance between tiles.
pub const GAP: u32 = 6;
/// Height of the title.
pub const TITLE: u32 = 30;
/// Height of one line under a tile.
pub const LINE: u32 = 13;
/// Lines of text under each tile: more are not read.
pub const LINES: u32 = 2;
/// Tiles stand no closer than their lines can be read.
const LEAST_CELL: u32 = 96;

/// What a sheet is to have room for; nothing means what fits the page.
#[derive(Clone, Copy, Debug)]
pub struct Room {
    /// The size that it keeps to unless more was asked for, in pixels.
    pub page: (u32, u32),
    /// Rows of images.
    pub rows: Option<u32>,
    /// Draws of the policy on each image.
    pub draws: Option<u32>,
    /// Show every pixel.
    pub full_size: bool,
    /// Images stand side by side as far as the page is wide, instead of one in a row.
    pub is_dense: bool,
}

/// The measures of one sheet, in pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Layout {
    /// Images, one in each row unless several stand side by side.
    pub rows: u32,
    /// Images side by side.
    pub across: u32,
    /// Draws of the policy on each image, beside the column without augmentation.
    pub draws: u32,
    /// How many times the frame is reduced.
    pub shrink: u32,
    /// How many times each pixel of a small frame is repeated.
    pub enlarge: u32,
    /// Columns of one tile.
    pub tile_width: u32,
    /// Rows of one tile.
    pub tile_height: u32,
    /// Columns of one tile and of the lines under it.
    pub cell_width: u32,
}

impl Layout {
    /// The layout for a frame: the least reduction that leaves room for enough rows and columns.
    pub fn new(frame: Frame, room: Room) -> Self {
        let least_rows = room.rows.unwrap_or(ROWS).min(ROWS);
        let least_columns = room.draws.map_or(COLUMNS, |draws| draws + 1).min(COLUMNS);
        let longest = frame.width_px.max(frame.height_px);
        let enlarge = if room.full_size { 1 } else { (LEAST_CELL / longest).max(1) };
        let of_one = |shrink| {
            let tile_width = frame.width_px.div_ceil(shrink) * enlarge;
            let cell_width = tile_width.max(LEAST_CELL);
            Layout {
                rows: 1,
                across: 1,
                draws: 0,
                shrink,
                enlarge,
                tile_width,
                tile_height: frame.height_px.div_ceil(shrink) * enlarge,
                cell_width,
            }
        };
        let fits = |shrink: &u32| {
            let layout = Layout { rows: least_rows, draws: least_columns - 1, ..of_one(*shrink) };
            layout.width() <= room.page.0 && layout.height() <= room.page.1
        };
        let shrink = if room.full_size { 1 } else { (1..longest).find(fits).unwrap_or(longest) };
        let one = of_one(shrink);
        let rows = (room.page.1.saturating_sub(one.height())) / one.row_height() + 1;
        let columns = (room.page.0.saturating_sub(one.width())) / (one.cell_width + GAP) + 1;
        let draws = room.draws.unwrap_or((columns - 1).max(1));
        let across = if room.is_dense { (columns / (draws + 1)).max(1) } else { 1 };
        Layout { rows: room.rows.unwrap_or(rows * across), across, draws, ..one }
    }

    /// Pixels of the sheet to one of the frame.
    pub fn scale(&self) -> f64 {
        f64::from(self.enlarge) / f64::from(self.shrink)
    }

    /// Width of the sheet.
    pub fn width(&self) -> u32 {
        2 * MARGIN + self.across * (self.draws + 1) * (self.cell_width + GAP) - GAP
    }

    /// Height of the sheet.
    pub fn height(&self) -> u32 {
        TITLE + self.rows.div_ceil(self.across) * self.row_height() + MARGIN - GAP
    }

    fn row_height(&self) -> u32 {
        self.tile_height + LINES * LINE + GAP
    }

    /// Where the tile of an image, from 0, stands on the sheet that has this number, from 0, among its own.
    pub fn place(&self, image: u32, tile: u32) -> (u32, u32) {
        let (row, column) = (image / self.across, image % self.across * (self.draws + 1) + tile);
        (MARGIN + column * (self.cell_width + GAP), TITLE + row * self.row_height())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use sieve_core::augment::Fit;

    const ROOM: Room =
        Room { page: (1280, 800), rows: None, draws: None, full_size: false, is_dense: false };

    fn layout(width_px: u32, height_px: u32, room: Room) -> Layout {
        Layout::new(Frame::new(width_px, height_px, Fit::Cover), room)
    }

    #[test]
    fn sheets_fit_a_screen_unless_more_is_asked_for() {
        for (width, height) in [(1, 1), (32, 32), (224, 224), (64, 500), (640, 480), (4096, 4096)] {
            let layout = layout(width, height, ROOM);
            assert!(
                layout.width() <= 1280 && layout.height() <= 800,
                "{width}x{height}: {layout:?}"
            );
            assert!(layout.rows >= 4 && layout.draws >= 5, "{width}x{height}: {layout:?}");
        }
        let full = layout(224, 224, Room { full_size: true, ..ROOM });
        assert_eq!((full.shrink, full.tile_width, full.tile_height), (1, 224, 224));
        assert!(full.width() <= 1280 && full.height() <= 800);
        let tall = layout(224, 224, Room { rows: Some(40), draws: Some(2), ..ROOM });
        assert_eq!((tall.rows, tall.draws), (40, 2));
        let dense = layout(224, 224, Room { draws: Some(1), is_dense: true, ..ROOM });
        assert!(dense.across > 3 && dense.width() <= 1280 && dense.height() <= 800, "{dense:?}");
        let last = dense.place(dense.rows - 1, 1);
        assert!(
            last.0 + dense.tile_width <= dense.width()
                && last.1 + dense.tile_height <= dense.height()
        );
        let small = layout(224, 224, Room { page: (640, 400), ..ROOM });
        assert!(small.width() <= 640 && small.height() <= 400, "{small:?}");
    }
}
