//! The formats of such tables.

use std::path::Path;

/// How a table is stored.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TableFormat {
    /// Comma-separated values: to be looked at.
    Csv,
    /// One JSON object in each line.
    JsonLines,
    /// Parquet, in builds with the feature.
    Parquet,
}

impl TableFormat {
    /// The format that a name asks for by its ending.
    ///
    /// # Errors
    ///
    /// Where it asks for none, or for one that this build does not write; as the end of a sentence.
    pub fn of_name(file: &Path) -> Result<Self, String> {
        let ending = file.extension().map(|ending| ending.to_string_lossy().to_lowercase());
        match ending.as_deref() {
            Some("csv") => Ok(TableFormat::Csv),
            Some("jsonl") => Ok(TableFormat::JsonLines),
            Some("parquet") if cfg!(feature = "parquet") => Ok(TableFormat::Parquet),
            Some("parquet") => {
                Err("this build writes no Parquet; build with --features parquet, or use .jsonl"
                    .to_owned())
            }
            _ => Err("expected a name that ends in .parquet, .jsonl or .csv".to_owned()),
        }
    }
}
