//! Arguments of `trial`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use sieve_core::trial::View;

use super::{CatalogArgs, CollectionArgs, Reach, TextFormat, seed};

/// Train a small learner to compare policies and see what a model would rely on
///
/// Trains a small convolutional network on 32x32 thumbnails of independent training images and measures
/// it on validation images: whether a policy helps, what a model would rely on (--views), whether more
/// images would help (--curve), and which classes it cannot tell apart. Every difference has an interval.
/// Finished runs are cached. A large pretrained model may rank policies differently.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve trial photos-splits --policies none,gentle,mine.toml
  mint-sieve trial photos-splits --views whole,colours,border --curve
  mint-sieve trial photos --out-of-fold predictions.csv")]
pub struct TrialArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Policies to compare with the first one: none, gentle, harsh, or TOML files
    #[arg(long, value_name = "LIST", value_delimiter = ',')]
    #[arg(
        long_help = "Policies to compare with the first one: none, gentle, harsh, or TOML files [default: none,gentle; \
                       none with --views, --curve or --out-of-fold]"
    )]
    pub policies: Vec<PathBuf>,
    /// Views of the images to train on: whole, grey, colours, border, centre
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_enum)]
    pub views: Vec<ViewName>,
    /// Train on 25, 50 and 100% of the images and report whether more would help
    #[arg(long)]
    pub curve: bool,
    /// Write a prediction for every image, by learners that have not seen it, to this new file
    #[arg(long, value_name = "FILE.csv")]
    pub out_of_fold: Option<PathBuf>,
    /// Write a contact sheet of the misclassified images to this new file
    #[arg(long, value_name = "FILE.png")]
    pub sheet: Option<PathBuf>,
    /// Number of runs of each kind, each with a seed of its own [default: 3; with --out-of-fold, 1]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..=20))]
    pub seeds: Option<u64>,
    /// Times that each training image is shown; results are also reported after a third of it
    #[arg(long, value_name = "N", default_value_t = 45, value_parser = clap::value_parser!(u64).range(45..=1000))]
    pub epochs: u64,
    /// Train on at most N images [default: 600; with --out-of-fold, 2000]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(20..=20_000))]
    pub training_images: Option<u32>,
    /// First seed
    #[arg(long, default_value_t = 0, value_parser = seed)]
    pub seed: u64,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, value_enum)]
    pub reach: Option<Reach>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
    /// List everything
    #[arg(long)]
    pub all: bool,
}

/// A view, as it is typed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum ViewName {
    /// The whole image
    Whole,
    /// Without colours
    Grey,
    /// The mean colours of 4 x 4 cells
    Colours,
    /// The border alone
    Border,
    /// The central half alone
    Centre,
}

impl From<ViewName> for View {
    fn from(name: ViewName) -> Self {
        match name {
            ViewName::Whole => View::Whole,
            ViewName::Grey => View::Grey,
            ViewName::Colours => View::Colours,
            ViewName::Border => View::Border,
            ViewName::Centre => View::Centre,
        }
    }
}
