//! NUMERIC: tables of numbers with a row for each image, and the small matrices that are worked out from them.

mod matrix;
mod table;

pub use table::Table;

pub(crate) use matrix::{Square, dot};
