//! SHEETS: many labelled pictures on one.

mod canvas;
mod layout;
mod lettering;
mod preview;

pub use layout::{Layout, Wanted};
pub use preview::{Row, Sheet, Tile, paint};
