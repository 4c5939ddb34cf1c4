//! Arguments of `duplicates`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::collection::Root;
use sieve_core::duplicates::{self, Kind};
use sieve_core::suggest;

use super::collection::root;
use super::{CatalogArgs, CollectionArgs, TableFormat};

/// Find duplicates, near-duplicates and bursts
///
/// Groups files with identical bytes or pixels; images that were saved again, resized, marked,
/// mirrored, rotated, bordered or cropped; and the frames of a burst. Different drawings of one design
/// are listed separately. Each pair is aligned and compared; its score is the probability that both are
/// copies of one image. Nothing is changed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve duplicates photos --sheet duplicates.png
  mint-sieve duplicates photos --within split --kinds same-bytes,same-pixels
  mint-sieve duplicates photos --against new-batch --pairs known.csv")]
pub struct DuplicatesArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Report which images of another collection are already in COLLECTION
    #[arg(long, value_name = "OTHER", value_parser = root())]
    pub against: Option<Root>,
    /// Compare only images of one class, or of one split
    #[arg(long, value_enum, default_value_t, conflicts_with = "against")]
    pub within: Within,
    /// Show only these kinds
    #[arg(long, value_name = "KIND,...", value_delimiter = ',', value_parser = kind)]
    pub kinds: Vec<Kind>,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write all verified pairs to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub pairs: Option<PathBuf>,
    /// Write a contact sheet of the groups to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    /// List every group and every image
    #[arg(long)]
    pub all: bool,
}

/// Which images are compared with each other.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Within {
    /// All images
    #[default]
    All,
    /// Only images of one class
    Class,
    /// Only images of one split
    Split,
}

impl Within {
    /// The word that is typed.
    pub fn name(self) -> &'static str {
        match self {
            Within::All => "all",
            Within::Class => "class",
            Within::Split => "split",
        }
    }
}

/// How different a copy may be from its original.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Reach {
    /// Identical bytes or pixels
    Exact,
    /// Also saved again, resized, mirrored, or rotated by quarter turns
    Near,
    /// Also cropped, bordered, tilted or strongly altered
    Wide,
}

impl From<Reach> for duplicates::Reach {
    fn from(reach: Reach) -> Self {
        match reach {
            Reach::Exact => duplicates::Reach::Exact,
            Reach::Near => duplicates::Reach::Near,
            Reach::Wide => duplicates::Reach::Wide,
        }
    }
}

fn kind(text: &str) -> Result<Kind, String> {
    let known = Kind::ALL.into_iter().find(|kind| kind.name() == text);
    known.ok_or_else(|| suggest::expected(text, &Kind::ALL.map(Kind::name)))
}
