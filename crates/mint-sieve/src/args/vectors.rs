//! Options for vectors of the user's own model.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::vectors::Metric;

/// The heading of these options in `--help`.
const VECTORS: &str = "Vectors of your own model";

/// Vectors that images are compared by.
#[derive(Clone, Debug, Args)]
pub struct VectorArgs {
    /// Compare images by these vectors: .npy, or CSV or JSON Lines with a path and numbers on each line
    #[arg(long, display_order = 30, value_name = "FILE", help_heading = VECTORS)]
    pub vectors: Option<PathBuf>,
    /// Paths of the rows of a .npy file, one per line [default: the same name with .txt]
    #[arg(long, display_order = 31, value_name = "FILE", requires = "vectors", help_heading = VECTORS)]
    #[arg(hide_short_help = true)]
    pub vector_paths: Option<PathBuf>,
    /// How vectors are compared
    #[arg(long, display_order = 32, value_enum, default_value_t, requires = "vectors", help_heading = VECTORS)]
    #[arg(hide_short_help = true)]
    pub distance: Distance,
    /// Leave out images and vectors that do not match instead of stopping
    #[arg(long, display_order = 33, requires = "vectors", help_heading = VECTORS, hide_short_help = true)]
    pub skip_missing: bool,
}

/// How vectors are compared.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Distance {
    /// By the angle between them
    #[default]
    Cosine,
    /// By the distance of their ends
    Euclidean,
}

impl From<Distance> for Metric {
    fn from(distance: Distance) -> Self {
        match distance {
            Distance::Cosine => Metric::Cosine,
            Distance::Euclidean => Metric::Euclidean,
        }
    }
}
