//! SHEETS: many labelled pictures on one.

mod canvas;
mod layout;
mod lettering;
mod png;
mod preview;

pub use self::png::png;
pub use layout::{Layout, Room};
pub use preview::{Row, Sheet, Tile, paint};
