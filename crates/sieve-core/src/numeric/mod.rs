//! NUMERIC: tables of numbers with a row for each image, the small matrices that are worked out from them, and the vectors
//! that do several sums at a time.

mod interleaved;
mod matrix;
pub(crate) mod simd;
mod table;

pub use table::Table;

pub(crate) use interleaved::{AT_ONCE, Interleaved};
pub(crate) use matrix::{Square, dot};
