//! The answer of `pack`, and the documents that lie in a pack beside its images.

mod datasheet;
mod example;
mod json_ld;
mod tables;
mod text;

pub use datasheet::datasheet;
pub use example::example;
pub use json_ld::json_ld;
pub use tables::{class_index_json, json_bytes, numbers_json, shard_table};

use serde::Serialize;
use sieve_core::audit::Audit;
use sieve_core::augment::Frame;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::shown_name;
use sieve_core::finding::Severity;
use sieve_core::pack::{ClassIndex, Numbers};
use sieve_core::reading::time_of_seconds;
use sieve_core::suppression::Suppressed;

use super::{ReadingSettings, Reply, envelope};
use crate::config::CollectionConfig;
use crate::packing::PackedPart;
use crate::requests::PackRequest;

/// What was packed, and all that is said of it.
pub struct PackReport<'a> {
    /// How it was requested.
    pub request: &'a PackRequest,
    /// The frame that images were resized to.
    pub frame: Option<Frame>,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// What is wrong with it.
    pub audit: &'a Audit,
    /// What was accepted, and why.
    pub suppressed: &'a [Suppressed],
    /// The number of each class.
    pub index: &'a ClassIndex,
    /// The classes of an earlier index.
    pub earlier: &'a [String],
    /// The packed images of each split.
    pub parts: &'a [PackedPart],
    /// What a training script needs.
    pub numbers: &'a Numbers,
    /// Images that are not in the pack.
    pub left_out: &'a [LeftOut],
    /// The day, as YYYY-MM-DD.
    pub day: String,
    /// The files of the pack beside those of a tree.
    pub files: Vec<WrittenFile>,
}

/// An image that is not in the pack.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct LeftOut {
    /// The word that allows it.
    pub reason: &'static str,
    /// The image.
    pub path: String,
    /// Why.
    pub why: String,
}

/// A file of a pack.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct WrittenFile {
    /// Its name.
    pub name: String,
    /// Its bytes.
    pub size_bytes: u64,
}

/// The day of `SOURCE_DATE_EPOCH`, by which reproducible builds are dated, or today's; in UTC.
pub fn today() -> String {
    let set = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|text| text.parse::<u64>().ok());
    let now = || {
        let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
        since.map_or(0, |since| since.as_secs())
    };
    let mut time = time_of_seconds(set.unwrap_or_else(now) as f64);
    time.truncate("YYYY-MM-DD".len());
    time
}

impl PackReport<'_> {
    /// The images of all splits.
    fn images(&self) -> u64 {
        self.parts.iter().map(|part| part.images.len() as u64).sum()
    }

    /// The bytes of all images.
    fn image_bytes(&self) -> u64 {
        self.parts.iter().flat_map(|part| &part.images).map(|image| image.size_bytes).sum()
    }

    /// Classes that an earlier index does not have; none without one.
    fn new_classes(&self) -> Vec<&str> {
        let has_earlier = !self.earlier.is_empty();
        let new = self.index.classes.iter().filter(|class| has_earlier && !class.is_earlier);
        new.map(|class| class.class.as_str()).collect()
    }

    /// Classes of an earlier index without images.
    fn vanished_classes(&self) -> Vec<&str> {
        let vanished = self.index.classes.iter().filter(|class| class.has_vanished());
        vanished.map(|class| class.class.as_str()).collect()
    }
}

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    form: &'static str,
    frame: Option<String>,
    encoding: Option<&'static str>,
    channels_first: bool,
    link: Option<String>,
    shard_bytes: u64,
    seed: u64,
    class_index: Option<String>,
    manifest: &'static str,
    batch: u64,
    allow: Vec<&'static str>,
    reach: &'static str,
}

#[derive(Serialize)]
struct Body<'a> {
    images: u64,
    size_bytes: u64,
    splits: Vec<SplitBody<'a>>,
    classes: Vec<tables::ClassBody<'a>>,
    new_classes: Vec<&'a str>,
    vanished_classes: Vec<&'a str>,
    numbers: &'a Numbers,
    findings: Findings,
    left_out: &'a [LeftOut],
    written: String,
    files: &'a [WrittenFile],
}

#[derive(Serialize)]
struct SplitBody<'a> {
    split: &'a str,
    images: usize,
    size_bytes: u64,
    files: &'a [sieve_core::pack::ContainerFile],
}

#[derive(Serialize)]
struct Findings {
    error: usize,
    warning: usize,
    note: usize,
}

impl Reply for PackReport<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        let request = self.request;
        let settings = Settings {
            reading: ReadingSettings::new(self.config),
            form: request.form.name(),
            frame: self.frame.map(|frame| frame.to_string()),
            encoding: self.frame.map(|_| request.encoding.name()),
            channels_first: request.channels_first,
            link: clap::ValueEnum::to_possible_value(&request.link)
                .map(|value| value.get_name().to_owned()),
            shard_bytes: request.shard_bytes,
            seed: request.seed,
            class_index: request.class_index.as_ref().map(|file| shown_name(file.as_os_str())),
            manifest: request.manifest.extension(),
            batch: request.batch,
            allow: request.allow.iter().map(|one| one.name()).collect(),
            reach: self.found.reach.name(),
        };
        let splits = self.index.splits.iter().zip(self.parts);
        let body = Body {
            images: self.images(),
            size_bytes: self.image_bytes(),
            splits: splits
                .map(|(split, part)| SplitBody {
                    split,
                    images: part.images.len(),
                    size_bytes: part.images.iter().map(|image| image.size_bytes).sum(),
                    files: &part.files,
                })
                .collect(),
            classes: tables::classes(self.index),
            new_classes: self.new_classes(),
            vanished_classes: self.vanished_classes(),
            numbers: self.numbers,
            findings: Findings {
                error: self.audit.count(Severity::Error),
                warning: self.audit.count(Severity::Warning),
                note: self.audit.count(Severity::Note),
            },
            left_out: self.left_out,
            written: shown_name(request.to.as_os_str()),
            files: &self.files,
        };
        envelope("pack", settings, body)
    }
}
