//! The columns of files of rows, whatever their format.

/// The column that names images, and the one that holds them.
pub const COLUMNS: [&str; 2] = ["path", "image"];

/// Takes the value of each row, none where it has none, until it wants no more.
pub type Take<'a> = &'a mut dyn FnMut(Option<&[u8]>) -> bool;
