//! What `duplicates` takes.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::collection::Root;
use sieve_core::duplicates::{self, Kind};
use sieve_core::nearest;

use super::collection::root;
use super::{CatalogArgs, CollectionArgs, TableFormat};

/// Find pictures that are there more than once
///
/// Groups files with the same bytes or pixels, pictures that were saved again, resized, marked,
/// mirrored, turned, framed or cropped, and frames of one moment. Different drawings of one design
/// are shown apart. Every pair was laid over each other; the score is the chance that both are
/// copies of one picture. Nothing is changed.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve duplicates photos --sheet twice.png
  mint-sieve duplicates photos --within split --kinds same-bytes,same-pixels
  mint-sieve duplicates photos --against new-batch --pairs known.csv")]
pub struct DuplicatesArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Say which pictures of this other collection are in COLLECTION already
    #[arg(long, value_name = "OTHER", value_parser = root())]
    pub against: Option<Root>,
    /// Compare only pictures of one class, or of one split
    #[arg(long, value_enum, default_value_t, conflicts_with = "against")]
    pub within: Within,
    /// Show these kinds only
    #[arg(long, value_name = "KIND,...", value_delimiter = ',', value_parser = kind)]
    pub kinds: Vec<Kind>,
    /// How far to look [default: wide up to 50,000 pictures, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Form of the answer
    #[arg(long, value_enum, default_value_t)]
    pub format: TableFormat,
    /// Write the verified pairs to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub pairs: Option<PathBuf>,
    /// Write the groups as rows of pictures to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    /// List every group and every picture
    #[arg(long)]
    pub all: bool,
}

/// What is compared with what, as it is typed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub enum Within {
    /// Everything with everything
    #[default]
    All,
    /// Pictures of one class
    Class,
    /// Pictures of one split
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

/// How far is looked, as it is typed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Reach {
    /// Same bytes and same pixels
    Same,
    /// Also saved again, resized, mirrored, turned by quarters
    Near,
    /// Also cropped, framed, tilted, strongly changed
    Wide,
}

impl From<Reach> for duplicates::Reach {
    fn from(reach: Reach) -> Self {
        match reach {
            Reach::Same => duplicates::Reach::Same,
            Reach::Near => duplicates::Reach::Near,
            Reach::Wide => duplicates::Reach::Wide,
        }
    }
}

fn kind(text: &str) -> Result<Kind, String> {
    Kind::ALL.into_iter().find(|kind| kind.name() == text).ok_or_else(|| {
        let names: Vec<&str> = Kind::ALL.iter().map(|kind| kind.name()).collect();
        let near = nearest::word(text, names.iter().copied());
        let hint = near.map_or(String::new(), |near| format!("; did you mean {near}?"));
        format!("expected one of {}{hint}", names.join(", "))
    })
}
