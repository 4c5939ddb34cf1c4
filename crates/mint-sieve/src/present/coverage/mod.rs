//! What `coverage` says.

mod sheet;
mod text;

pub use sheet::{rows, title};

use std::path::Path;

use serde::Serialize;
use sieve_core::appearance::Excluded;
use sieve_core::catalog::Catalog;
use sieve_core::coverage::{Confined, Coverage, MissingKind};
use sieve_core::csv_escape::of_path;
use sieve_core::duplicates::{DuplicateReport, ImageRef};
use sieve_core::files::{RelPath, shown_name};
use sieve_core::statistics::Interval;

use super::table::written;
use super::{ReadingSettings, Reply, TableReply, envelope};
use crate::config::CollectionConfig;

/// What classes have and lack, and what that was found in.
pub struct CoverageReport<'a> {
    /// Whether everything is listed.
    pub all: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// What came out.
    pub coverage: &'a Coverage,
    /// The split that is trained on, if there is one.
    pub training: Option<&'a str>,
    /// The seed of the grouping.
    pub seed: u64,
    /// The chance of a false report in a collection.
    pub chance: f64,
    /// The vectors that images were compared by; none for what the catalog holds.
    pub vectors: Option<&'a Path>,
    /// The sheet that was written.
    pub sheet: Option<&'a Path>,
}

impl<'a> CoverageReport<'a> {
    /// The image at a place of the subject.
    fn image(&self, row: usize) -> &ImageRef<'a> {
        &self.found.images[self.coverage.subject.images[row] as usize]
    }

    fn path(&self, row: usize) -> &'a RelPath {
        &self.image(row).record.path
    }

    fn class(&self, number: usize) -> &str {
        &self.coverage.subject.classes[number].class
    }
}

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    seed: u64,
    chance: f64,
    reach: &'static str,
    vectors: Option<String>,
}

#[derive(Serialize)]
struct Body<'a> {
    images: usize,
    dependent: u64,
    unlabelled: u64,
    training: Option<&'a str>,
    excluded: &'a [Excluded],
    classes: Vec<ClassBody<'a>>,
    missing_kinds: Vec<MissingBody<'a>>,
    unseen: Vec<UnseenBody<'a>>,
    median_overlap: f64,
    look_alike_classes: Vec<PairBody<'a>>,
    sheet: Option<String>,
}

#[derive(Serialize)]
struct ClassBody<'a> {
    class: &'a str,
    images: usize,
    kinds: Vec<KindBody<'a>>,
}

#[derive(Serialize)]
struct KindBody<'a> {
    medoid: &'a RelPath,
    confined: &'a [Confined],
    images: Vec<&'a RelPath>,
}

#[derive(Serialize)]
struct MissingBody<'a> {
    class: &'a str,
    images: u64,
    expected: f64,
    classes_with_it: usize,
    examples: Vec<&'a RelPath>,
}

#[derive(Serialize)]
struct UnseenBody<'a> {
    class: &'a str,
    split: &'a str,
    of: u64,
    images: Vec<UnseenImageBody<'a>>,
}

#[derive(Serialize)]
struct UnseenImageBody<'a> {
    path: &'a RelPath,
    nearest: &'a RelPath,
    ratio: f64,
}

#[derive(Serialize)]
struct PairBody<'a> {
    classes: [&'a str; 2],
    crossing: u64,
    images: u64,
    overlap: f64,
    interval: Interval,
    examples: Vec<&'a RelPath>,
}

impl Reply for CoverageReport<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        let settings = Settings {
            reading: ReadingSettings::new(self.config),
            seed: self.seed,
            chance: self.chance,
            reach: self.found.reach.name(),
            vectors: self.vectors.map(|file| shown_name(file.as_os_str())),
        };
        let subject = &self.coverage.subject;
        let paths = |rows: &[usize]| rows.iter().map(|&row| self.path(row)).collect::<Vec<_>>();
        let classes = subject.classes.iter().zip(&self.coverage.classes);
        let missing = |one: &'_ MissingKind| paths(&one.examples);
        let body = Body {
            images: subject.images.len(),
            dependent: subject.dependent,
            unlabelled: subject.unlabelled,
            training: self.training,
            excluded: &subject.excluded,
            classes: classes
                .map(|(class, kinds)| ClassBody {
                    class: &class.class,
                    images: class.rows.len(),
                    kinds: kinds
                        .kinds
                        .iter()
                        .map(|kind| KindBody {
                            medoid: self.path(kind.medoid),
                            confined: &kind.confined,
                            images: paths(&kind.rows),
                        })
                        .collect(),
                })
                .collect(),
            missing_kinds: self
                .coverage
                .missing
                .iter()
                .map(|one| MissingBody {
                    class: self.class(one.class),
                    images: one.images,
                    expected: one.expected,
                    classes_with_it: one.having,
                    examples: missing(one),
                })
                .collect(),
            unseen: self
                .coverage
                .unseen
                .iter()
                .map(|one| UnseenBody {
                    class: self.class(one.class),
                    split: &one.split,
                    of: one.of,
                    images: one
                        .images
                        .iter()
                        .map(|image| UnseenImageBody {
                            path: self.path(image.row),
                            nearest: self.path(image.nearest),
                            ratio: image.ratio,
                        })
                        .collect(),
                })
                .collect(),
            median_overlap: self.coverage.look_alikes.median,
            look_alike_classes: self
                .coverage
                .look_alikes
                .pairs
                .iter()
                .map(|pair| PairBody {
                    classes: pair.classes.map(|class| self.class(class)),
                    crossing: pair.crossing,
                    images: pair.images,
                    overlap: pair.overlap,
                    interval: pair.interval,
                    examples: paths(&pair.examples),
                })
                .collect(),
            sheet: self.sheet.map(|sheet| shown_name(sheet.as_os_str())),
        };
        envelope("coverage", settings, body)
    }
}

impl TableReply for CoverageReport<'_> {
    /// One row for each image, with the kind of its class that it is of, and whether it is unlike anything in training.
    fn csv(&self) -> String {
        let subject = &self.coverage.subject;
        let unseen: std::collections::BTreeMap<usize, f64> = self
            .coverage
            .unseen
            .iter()
            .flat_map(|one| one.images.iter().map(|image| (image.row, image.ratio)))
            .collect();
        let mut rows = Vec::new();
        for (class, kinds) in subject.classes.iter().zip(&self.coverage.classes) {
            for (number, kind) in (1..).zip(&kinds.kinds) {
                rows.extend(kind.rows.iter().map(|&row| {
                    let record = self.image(row).record;
                    (
                        row,
                        [
                            of_path(&record.path),
                            class.class.clone(),
                            record.split().unwrap_or_default().to_owned(),
                            number.to_string(),
                            u8::from(kind.medoid == row).to_string(),
                            unseen.get(&row).map_or(String::new(), |ratio| format!("{ratio:.3}")),
                        ],
                    )
                }));
            }
        }
        rows.sort_by_key(|(row, _)| *row);
        let head = ["path", "class", "split", "kind", "medoid", "unseen_ratio"];
        written(&head, rows.into_iter().map(|(_, row)| row))
    }
}
