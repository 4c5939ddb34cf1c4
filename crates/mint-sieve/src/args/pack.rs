//! Arguments of `pack`.

use std::path::PathBuf;

use clap::Args;
use sieve_core::finding::Code;
use sieve_core::pack::Form;

use super::{CatalogArgs, CollectionArgs, Reach, TextFormat, seed};
use crate::packing::{Encoding, ManifestFormat};
use crate::writing::Link;

/// The heading of the options for images in `--help`.
const IMAGES: &str = "Images";
/// The heading of the options for tables and numbers.
const TABLES: &str = "Tables and numbers";

/// Pack splits for a training run
///
/// Writes a new folder with the images (as files, archives, shards or arrays), one class order for all splits,
/// a manifest for each split, channel statistics, class weights, checksums and a data sheet. Splits with
/// errors, such as leaks, are refused unless --allow names them.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  mint-sieve pack photos-splits --to pack
  mint-sieve pack photos --splits-from split.csv --as shards --to pack
  mint-sieve pack photos-splits --as npy --frame 64x64 --to pack --example
  mint-sieve pack photos-splits --class-index earlier/class-index.csv --to pack")]
pub struct PackArgs {
    #[command(flatten)]
    pub collection: CollectionArgs,
    #[command(flatten)]
    pub catalog: CatalogArgs,
    /// Write the pack to this new folder
    #[arg(long, value_name = "FOLDER")]
    pub to: PathBuf,
    /// How images are packed: tree (split/class/image), zip or tar (an archive for each split), shards (tar
    /// archives in random order), npy (arrays; needs --frame), parquet or arrow (images in a
    /// column)
    #[arg(long = "as", value_name = "FORM", default_value = "tree", value_parser = form)]
    pub form: Form,
    /// Resize images once: WIDTHxHEIGHT[:cover|contain|stretch], or a policy file, whose frame is used
    #[arg(long, value_name = "FRAME", help_heading = IMAGES)]
    pub frame: Option<String>,
    /// How resized images are stored
    #[arg(long, hide_short_help = true, value_enum, default_value_t, requires = "frame", help_heading = IMAGES)]
    pub encoding: Encoding,
    /// Store arrays as images x channels x rows x columns
    #[arg(long, hide_short_help = true, help_heading = IMAGES)]
    pub channels_first: bool,
    /// How files come into a tree; soft is refused, since a pack must hold its images
    #[arg(long, value_enum, default_value_t, help_heading = IMAGES)]
    pub link: Link,
    /// Largest size of a shard
    #[arg(long, value_name = "SIZE", default_value = "256MB", value_parser = size, help_heading = IMAGES)]
    pub shard_size: u64,
    /// Seed of the order in shards
    #[arg(long, hide_short_help = true, default_value_t = 0, value_parser = seed, help_heading = IMAGES)]
    pub seed: u64,
    /// Keep the class order of this earlier class index; new classes are appended
    #[arg(long, value_name = "FILE.csv", help_heading = TABLES)]
    pub class_index: Option<PathBuf>,
    /// Format of the manifests
    #[arg(long, value_enum, default_value_t, help_heading = TABLES)]
    pub manifest: ManifestFormat,
    /// Do not compute mean and standard deviation of the channels, for which every training image is decoded
    #[arg(long, hide_short_help = true, help_heading = TABLES)]
    pub no_statistics: bool,
    /// Images in a batch, for the number of steps
    #[arg(long, hide_short_help = true, value_name = "N", default_value_t = 32, help_heading = TABLES)]
    #[arg(value_parser = clap::value_parser!(u64).range(1..=1_000_000))]
    pub batch: u64,
    /// Also write load_pack.py, which shows how to read the pack
    #[arg(long, help_heading = TABLES)]
    pub example: bool,
    /// Pack despite these: codes of error findings, unassigned (images without class), unstorable (names that
    /// no file can have), undecided (rows of --plan)
    #[arg(long, value_name = "CODE,...", value_delimiter = ',', value_parser = allowance)]
    pub allow: Vec<Allowance>,
    /// Refuse to pack while rows of this plan are undecided
    #[arg(long, hide_short_help = true, value_name = "PLAN.csv")]
    pub plan: Option<PathBuf>,
    /// How different a copy may be [default: wide up to 50,000 images, near above]
    #[arg(long, hide_short_help = true, value_enum)]
    pub reach: Option<Reach>,
    /// Output format
    #[arg(long, value_enum, default_value_t)]
    pub format: TextFormat,
}

/// What is packed all the same.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Allowance {
    /// Findings of this code.
    Finding(Code),
    /// Images of a split without class, which are left out.
    Unassigned,
    /// Images whose names no file can have, which are left out.
    Unstorable,
    /// Rows of a plan that nobody decided.
    Undecided,
}

impl Allowance {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Allowance::Finding(code) => code.as_str(),
            Allowance::Unassigned => "unassigned",
            Allowance::Unstorable => "unstorable",
            Allowance::Undecided => "undecided",
        }
    }
}

fn allowance(text: &str) -> Result<Allowance, String> {
    let own = [Allowance::Unassigned, Allowance::Unstorable, Allowance::Undecided];
    match own.into_iter().find(|known| known.name() == text) {
        Some(known) => Ok(known),
        None => Code::parse(text).map(Allowance::Finding),
    }
}

fn form(text: &str) -> Result<Form, String> {
    let known = Form::ALL.into_iter().find(|form| form.name() == text);
    known.ok_or_else(|| {
        let names = Form::ALL.map(Form::name);
        format!("expected one of {}", names.join(", "))
    })
}

/// Bytes, in units of 1000 or 1024.
fn size(text: &str) -> Result<u64, String> {
    let expected = || "expected a size such as 256MB, 1GB or 64MiB, from 1kB upward".to_owned();
    let digits = text.bytes().take_while(u8::is_ascii_digit).count();
    let (number, unit) = text.split_at(digits);
    let number: u64 = number.parse().map_err(|_| expected())?;
    let unit = match unit {
        "kB" | "KB" => 1_000,
        "MB" => 1_000_000,
        "GB" => 1_000_000_000,
        "KiB" => 1 << 10,
        "MiB" => 1 << 20,
        "GiB" => 1 << 30,
        _ => return Err(expected()),
    };
    number.checked_mul(unit).filter(|bytes| *bytes >= 1_000).ok_or_else(expected)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_are_read_in_both_kinds_of_units() {
        assert_eq!((size("256MB"), size("1GiB")), (Ok(256_000_000), Ok(1 << 30)));
        for wrong in ["", "MB", "256", "0MB", "1B", "-1MB", "1.5GB", "99999999999999GB", "1mb"] {
            assert!(size(wrong).is_err(), "{wrong}");
        }
    }
}
