//! Reading parts.

use std::fs::File;
use std::io::BufReader;
use std::path::Path;

use super::columns::columns;
use super::part::PartHead;
use super::rows::Take;
use super::{format::TableFormat, json_lines};
use crate::bounded_read::is_file;
use crate::io_reason;

/// Hands over the rows of a part, one cell for each column, and returns its head.
pub(super) fn read(file: &Path, take: &mut Take<'_>) -> Result<PartHead, String> {
    if !is_file(file) {
        return Err("it is not a file".to_owned());
    }
    let open = || File::open(file).map_err(|error| io_reason(&error));
    match TableFormat::of_name(file)? {
        TableFormat::JsonLines => json_lines::read(BufReader::new(open()?), &columns(), take),
        TableFormat::Csv => Err("parts are Parquet or JSON Lines".to_owned()),
        #[cfg(feature = "parquet")]
        TableFormat::Parquet => super::parquet::read(open()?, &columns(), take),
        #[cfg(not(feature = "parquet"))]
        TableFormat::Parquet => Err("this build reads no Parquet".to_owned()),
    }
}
