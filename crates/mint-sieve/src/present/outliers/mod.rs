//! What `outliers` says.

mod sheet;
mod text;

pub use sheet::{rows, title};

use std::path::Path;

use serde::Serialize;
use sieve_core::appearance::Excluded;
use sieve_core::catalog::Catalog;
use sieve_core::csv_escape::of_path;
use sieve_core::duplicates::{DuplicateReport, ImageRef};
use sieve_core::files::{RelPath, shown_name};
use sieve_core::outliers::{Outlier, Outliers, Standout};
use sieve_core::repair::{Action, Row};

use super::repair::plan::plan_of_rows;
use super::table::written;
use super::{ReadingSettings, Reply, TableReply, envelope};
use crate::config::CollectionConfig;

/// The listed images, and what they were found among.
pub struct OutlierList<'a> {
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// The whole ranking.
    pub outliers: &'a Outliers,
    /// The images that are listed, with their ranks among all, from 1.
    pub listed: &'a [(usize, Outlier)],
    /// The classes that were asked for; none for all.
    pub classes: &'a [String],
    /// Images of each class, at most.
    pub per_class: Option<u32>,
    /// Images in all, at most.
    pub top: u32,
    /// The plan that was written.
    pub plan: Option<&'a Path>,
    /// The vectors that images were compared by; none for what the catalog holds.
    pub vectors: Option<&'a Path>,
    /// The sheet that was written.
    pub sheet: Option<&'a Path>,
}

impl<'a> OutlierList<'a> {
    /// The image at a place of the subject.
    fn image(&self, row: usize) -> &ImageRef<'a> {
        &self.found.images[self.outliers.subject.images[row] as usize]
    }

    fn class(&self, number: u32) -> &str {
        &self.outliers.subject.classes[number as usize].class
    }

    fn resembles(&self, one: &Outlier) -> Option<&str> {
        one.resembles.map(|class| self.class(class))
    }
}

/// Why an image is listed, for people.
pub fn in_words(reason: Standout) -> &'static str {
    match reason {
        Standout::FarFromClass => "far from its class",
        Standout::CloseToOther => "closer to another class",
        Standout::Both => "far from its class, closer to another",
    }
}

/// The plan: a row to decide on for each listed image.
pub fn plan(answer: &OutlierList<'_>) -> String {
    let rows = answer.listed.iter().map(|(rank, one)| {
        let image = answer.image(one.row);
        let like = answer.resembles(one).map_or(String::new(), |class| format!("; like {class}"));
        Row {
            path: image.record.path.clone(),
            action: Action::Decide,
            from: answer.class(one.class).to_owned(),
            to: answer.resembles(one).unwrap_or_default().to_owned(),
            group: String::new(),
            reason: format!("outlier {rank}: {}{like}", in_words(one.reason)),
            confidence: None,
            digest: Some(image.measured.digest),
        }
    });
    plan_of_rows(answer.config, answer.catalog, &rows.collect::<Vec<_>>())
}

#[derive(Serialize)]
struct Settings<'a> {
    #[serde(flatten)]
    reading: ReadingSettings,
    classes: &'a [String],
    per_class: Option<u32>,
    top: u32,
    reach: &'static str,
    vectors: Option<String>,
}

#[derive(Serialize)]
struct Body<'a> {
    images: u64,
    dependent: u64,
    unlabelled: u64,
    excluded: &'a [Excluded],
    classes: Vec<ClassBody<'a>>,
    outliers: Vec<OutlierBody<'a>>,
    plan: Option<String>,
    sheet: Option<String>,
}

#[derive(Serialize)]
struct ClassBody<'a> {
    class: &'a str,
    images: usize,
    typical: Vec<&'a RelPath>,
}

#[derive(Serialize)]
struct OutlierBody<'a> {
    rank: usize,
    path: &'a RelPath,
    class: &'a str,
    split: Option<&'a str>,
    score: f64,
    resembles: Option<&'a str>,
    reason: Standout,
}

impl Reply for OutlierList<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        let subject = &self.outliers.subject;
        let settings = Settings {
            reading: ReadingSettings::new(self.config),
            classes: self.classes,
            per_class: self.per_class,
            top: self.top,
            reach: self.found.reach.name(),
            vectors: self.vectors.map(|file| shown_name(file.as_os_str())),
        };
        let shown = |path: Option<&Path>| path.map(|path| shown_name(path.as_os_str()));
        let classes = subject.classes.iter().zip(&self.outliers.typical);
        let body = Body {
            images: subject.images.len() as u64,
            dependent: subject.dependent,
            unlabelled: subject.unlabelled,
            excluded: self.outliers.excluded(),
            classes: classes
                .map(|(class, typical)| ClassBody {
                    class: &class.class,
                    images: class.rows.len(),
                    typical: typical.iter().map(|&row| &self.image(row).record.path).collect(),
                })
                .collect(),
            outliers: self
                .listed
                .iter()
                .map(|(rank, one)| OutlierBody {
                    rank: *rank,
                    path: &self.image(one.row).record.path,
                    class: self.class(one.class),
                    split: self.image(one.row).record.split(),
                    score: one.score,
                    resembles: self.resembles(one),
                    reason: one.reason,
                })
                .collect(),
            plan: shown(self.plan),
            sheet: shown(self.sheet),
        };
        envelope("outliers", settings, body)
    }
}

impl TableReply for OutlierList<'_> {
    fn csv(&self) -> String {
        let rows = self.listed.iter().map(|(rank, one)| {
            let record = self.image(one.row).record;
            [
                rank.to_string(),
                of_path(&record.path),
                self.class(one.class).to_owned(),
                record.split().unwrap_or_default().to_owned(),
                format!("{:.4}", one.score),
                self.resembles(one).unwrap_or_default().to_owned(),
                one.reason.name().to_owned(),
            ]
        });
        written(&["rank", "path", "class", "split", "score", "resembles", "reason"], rows)
    }
}
