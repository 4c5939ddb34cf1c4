//! The answers of `measure`, `merge` and `catalog export`: what was written, and what to do with it.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use serde::Serialize;
use sieve_core::catalog_table::{MergeReport, Part, TableSummary};
use sieve_core::files::shown_name;
use sieve_core::splitting::DigestAssignment;

use crate::config::CollectionConfig;
use crate::console::{Narrow, heading, safe};
use crate::object_storage::Access;
use crate::present::split::class_table;
use crate::present::{
    ReadingSettings, Reply, access_words, command_on, counted, envelope, next_step,
};

fn shown(path: &Path) -> String {
    safe(&shown_name(path.as_os_str()))
}

/// A part that was measured.
pub struct MeasuredPart<'a> {
    pub config: &'a CollectionConfig,
    pub part: Part,
    /// Files of the whole collection.
    pub all: usize,
    /// Those of this part.
    pub listed: usize,
    pub written: TableSummary,
    pub to: &'a Path,
}

#[derive(Serialize)]
struct PartSettings {
    #[serde(flatten)]
    reading: ReadingSettings,
    part: Part,
}

#[derive(Serialize)]
struct PartBody {
    listed: usize,
    in_part: usize,
    rows: u64,
    images: u64,
    file: String,
}

impl Reply for MeasuredPart<'_> {
    fn text(&self) -> String {
        let Part { number, of } = self.part;
        let mut text = format!(
            "{}\nPart {number} of {of}: {} of the collection's {}; {} measured, {} of them images.\n",
            heading("Measured"),
            counted(self.listed as u64, "file", "files"),
            self.all,
            self.written.rows,
            self.written.images,
        );
        let others = self.listed as u64 - self.written.rows;
        if others > 0 {
            let others = counted(others, "file", "files");
            text.push_str(&format!(
                "Not in the part: {others} that cannot be read or are not opened, such as links; the commands that use \
                 the merged catalog report them.\n"
            ));
        }
        text.push_str(&format!("\nWritten: {}\n\n", shown(self.to)));
        let (merge, to) = (["mint-sieve", "merge"], ["--to", "herbs.catalog"]);
        let file = self.to.to_string_lossy();
        let others = if of > 1 { &["OTHERS"][..] } else { &[] };
        let parts = [&*file].into_iter().chain(others.iter().copied());
        let words: Vec<&str> = merge.into_iter().chain(parts).chain(to).collect();
        text.push_str(&match of {
            1 => next_step("merge it into a catalog:", &words),
            _ => next_step(
                &format!(
                    "once the other {} are measured, merge all of them:",
                    counted(u64::from(of) - 1, "part", "parts")
                ),
                &words,
            ),
        });
        text
    }

    fn json(&self) -> String {
        let settings = PartSettings { reading: ReadingSettings::new(self.config), part: self.part };
        let TableSummary { rows, images } = self.written;
        let file = shown_name(self.to.as_os_str());
        envelope(
            "measure",
            settings,
            PartBody { listed: self.all, in_part: self.listed, rows, images, file },
        )
    }
}

/// Parts that were merged.
pub struct Merged<'a> {
    pub parts: &'a [PathBuf],
    pub to: &'a Path,
    pub report: &'a MergeReport,
}

#[derive(Serialize)]
struct MergeSettings {
    parts: Vec<String>,
}

#[derive(Serialize)]
struct MergeBody<'a> {
    catalog: String,
    files: u64,
    rows_by_part: &'a std::collections::BTreeMap<u32, u64>,
}

impl Reply for Merged<'_> {
    fn text(&self) -> String {
        let parts = self.report.parts.len() as u64;
        let to = self.to.to_string_lossy();
        let words = ["mint-sieve", "audit", "COLLECTION", "--catalog", &*to];
        format!(
            "{}\n{} with {}.\n\nWritten: {}\n\n{}",
            heading("Merged"),
            counted(parts, "part", "parts"),
            counted(self.report.files, "file", "files"),
            shown(self.to),
            next_step("name the catalog in any command on the same collection:", &words),
        )
    }

    fn json(&self) -> String {
        let parts = self.parts.iter().map(|part| shown_name(part.as_os_str())).collect();
        let MergeReport { parts: rows_by_part, files } = self.report;
        let catalog = shown_name(self.to.as_os_str());
        let body = MergeBody { catalog, files: *files, rows_by_part };
        envelope("merge", MergeSettings { parts }, body)
    }
}

/// A catalog that was exported.
pub struct Exported<'a> {
    pub config: &'a CollectionConfig,
    pub written: TableSummary,
    pub thumbnails: bool,
    pub to: &'a Path,
}

#[derive(Serialize)]
struct ExportSettings {
    #[serde(flatten)]
    reading: ReadingSettings,
    thumbnails: bool,
}

#[derive(Serialize)]
struct ExportBody {
    images: u64,
    file: String,
}

impl Reply for Exported<'_> {
    fn text(&self) -> String {
        format!(
            "{}\n{}, one row each; docs/scale.md describes the columns.\n\nWritten: {}\n\n{}",
            heading("Exported"),
            counted(self.written.images, "image", "images"),
            shown(self.to),
            next_step(
                "query it, for example with the SQL in scale/, or search for duplicates here:",
                &command_on(self.config, "duplicates", &[]),
            ),
        )
    }

    fn json(&self) -> String {
        let settings = ExportSettings {
            reading: ReadingSettings::new(self.config),
            thumbnails: self.thumbnails,
        };
        let file = shown_name(self.to.as_os_str());
        envelope("catalog-export", settings, ExportBody { images: self.written.images, file })
    }
}

/// A table that was split.
pub struct SplitOfTable<'a> {
    pub table: &'a Path,
    pub rows: u64,
    pub parts: &'a [String],
    pub seed: u64,
    pub all: bool,
    pub assignment: &'a DigestAssignment,
    pub out: &'a Path,
}

#[derive(Serialize)]
struct SplitSettings<'a> {
    table: String,
    parts: &'a [String],
    seed: u64,
}

#[derive(Serialize)]
struct SplitClass<'a> {
    class: &'a str,
    images: u64,
    got: &'a [u64],
    requested: &'a [f64],
}

#[derive(Serialize)]
struct SplitBody<'a> {
    rows: u64,
    unlabelled: u64,
    conflicting: u64,
    distance: f64,
    classes: Vec<SplitClass<'a>>,
    file: String,
}

impl Reply for SplitOfTable<'_> {
    fn text(&self) -> String {
        let DigestAssignment { classes, requested, conflicting, unlabelled, .. } = self.assignment;
        let images: u64 = classes.iter().map(|class| class.images).sum();
        let narrow = if self.all { Narrow::Keep } else { Narrow::Drop(&["requested"]) };
        let mut text = format!(
            "{}\n{} in {}: {}; seed {}\n\n{}\n",
            heading(&shown(self.table)),
            counted(images, "image", "images"),
            counted(classes.len() as u64, "class", "classes"),
            safe(&self.parts.join(", ")),
            self.seed,
            class_table(self.parts, classes, requested, self.all).text(narrow),
        );
        if *conflicting > 0 {
            let images = counted(*conflicting, "image", "images");
            text.push_str(&format!("Left out: {images} under several classes.\n"));
        }
        if *unlabelled > 0 {
            let rows = counted(*unlabelled, "row", "rows");
            text.push_str(&format!("Left out: {rows} without a class.\n"));
        }
        text.push_str("Kept together: rows of one digest, and rows of one group of the table.\n");
        text.push_str(&format!("\nWritten: {}\n\n", shown(self.out)));
        let out = self.out.to_string_lossy();
        let words = ["mint-sieve", "pack", "COLLECTION", "--splits-from", &*out, "--to", "pack"];
        text + &next_step("pack the collection, split by this table:", &words)
    }

    fn json(&self) -> String {
        let settings = SplitSettings {
            table: shown_name(self.table.as_os_str()),
            parts: self.parts,
            seed: self.seed,
        };
        let classes = self.assignment.classes.iter().map(|class| SplitClass {
            class: &class.class,
            images: class.images,
            got: &class.got,
            requested: &class.requested,
        });
        let body = SplitBody {
            rows: self.rows,
            unlabelled: self.assignment.unlabelled,
            conflicting: self.assignment.conflicting,
            distance: self.assignment.distance,
            classes: classes.collect(),
            file: shown_name(self.out.as_os_str()),
        };
        envelope("catalog-split", settings, body)
    }
}

/// A bucket that was listed.
pub struct ListedBucket<'a> {
    pub bucket: &'a str,
    pub objects: u64,
    pub access: &'a Access,
    pub to: &'a Path,
}

#[derive(Serialize)]
struct ListingSettings<'a> {
    bucket: &'a str,
}

#[derive(Serialize)]
struct ListingBody {
    objects: u64,
    file: String,
}

impl Reply for ListedBucket<'_> {
    fn text(&self) -> String {
        let words = ["mint-sieve", "measure", self.bucket, "--part", "1/16", "--listing"];
        let mut words: Vec<OsString> = words.iter().map(OsString::from).collect();
        words.extend([self.to.into(), "--to".into(), "part-01.parquet".into()]);
        words.extend(access_words(self.access));
        format!(
            "{}\n{}\n\nWritten: {}\n\n{}",
            heading("Listed"),
            counted(self.objects, "object", "objects"),
            shown(self.to),
            next_step("measure each part with it, on as many machines as there are:", &words),
        )
    }

    fn json(&self) -> String {
        let file = shown_name(self.to.as_os_str());
        let body = ListingBody { objects: self.objects, file };
        envelope("catalog-listing", ListingSettings { bucket: self.bucket }, body)
    }
}
