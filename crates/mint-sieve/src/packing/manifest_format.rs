//! The formats of manifests.

/// The format of a manifest.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub enum ManifestFormat {
    /// CSV
    #[default]
    Csv,
    /// JSON Lines
    Jsonl,
    /// Parquet
    Parquet,
}

impl ManifestFormat {
    /// The ending of such a file.
    pub fn extension(self) -> &'static str {
        match self {
            ManifestFormat::Csv => "csv",
            ManifestFormat::Jsonl => "jsonl",
            ManifestFormat::Parquet => "parquet",
        }
    }
}
