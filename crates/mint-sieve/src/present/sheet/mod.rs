//! SHEETS: many labelled images on one.

mod canvas;
mod fitting;
mod grid;
mod layout;
mod lettering;
mod look;
mod png;
mod preview;
mod rows;

pub use self::png::png;
pub use fitting::within;
pub use grid::{Cell, GridLayout, Mark, paint_grid};
pub use layout::{Layout, Room};
pub use look::{INK, MARK, PALE, PAPER, WARN};
pub use preview::{Drawn, Edge, Row, Sheet, Tile, paint};
pub use rows::{COLUMNS, Labelled, Role, TileRow, first_page, fitted, outline, paint_rows};
