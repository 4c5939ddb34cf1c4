//! Rows on their way into a table and out of one.

use std::io;

use rusqlite::types::Value;

use super::part::PartHead;

/// A table under way.
pub(super) trait TableWriter {
    /// Writes a row.
    fn row(&mut self, cells: Vec<Value>) -> io::Result<()>;
    /// Writes what belongs behind all rows.
    fn finish(self: Box<Self>) -> io::Result<()>;
}

/// Takes a row of a part, after its head; `Err` with the reason ends the reading.
pub(super) type Take<'a> = dyn FnMut(&PartHead, Vec<Value>) -> Result<(), String> + 'a;
