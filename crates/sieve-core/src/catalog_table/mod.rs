//! CATALOG TABLES: what a catalog knows as a table with one row for each file, for programs that query it and for machines
//! that each measure a part of a collection.

mod columns;
mod format;
mod hexadecimal;
mod json_lines;
mod merge;
#[cfg(feature = "parquet")]
mod parquet;
mod part;
mod read;
mod rows;
mod separated;
#[cfg(test)]
mod tests;
mod write;

pub use columns::{ColumnKind, TableColumn, columns};
pub use format::TableFormat;
pub use merge::{MergeReport, merge};
pub use part::{Part, PartHead, SCHEMA};
pub(crate) use read::text_cells;
pub use write::{TableRequest, TableSummary, write};
