//! What `gather` report together.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

use serde::Serialize;
use sieve_core::catalog::Catalog;
use sieve_core::files::shown_name;
use sieve_core::repair::Gathered;

use crate::config::CollectionConfig;
use crate::console::{Align, Narrow, heading, safe};
use crate::present::Reply;
use crate::present::skipped::{self, SkippedBody};
use crate::present::table::Table;
use crate::present::{ReadingSettings, counted, envelope, next_step, visible};

/// What was report together, and how.
pub struct GatherReport<'a> {
    /// The folder that was made.
    pub to: &'a Path,
    /// Whether split folders are kept.
    pub keeps_splits: bool,
    /// Whether nothing was written.
    pub is_dry_run: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// Where everything goes.
    pub gathered: &'a Gathered,
}

impl GatherReport<'_> {
    fn classes(&self) -> BTreeMap<&str, u64> {
        let mut classes = BTreeMap::new();
        for (at, _) in &self.gathered.placed {
            *classes.entry(self.catalog.records[*at].class().unwrap_or_default()).or_default() += 1;
        }
        classes
    }
}

/// The answer for people.
fn text(report: &GatherReport<'_>) -> String {
    let Gathered { placed, renamed, without_class, no_images, skipped: unstorable } =
        report.gathered;
    let name = safe(&report.catalog.collection.name());
    let classes = report.classes();
    let mut text = format!(
        "{}, read as {}\n{} in {}\n\n",
        heading(&name),
        safe(&report.catalog.collection.layout),
        counted(placed.len() as u64, "image", "images"),
        counted(classes.len() as u64, "class", "classes"),
    );
    let mut rows = vec![["class", "images"].map(str::to_owned).to_vec()];
    rows.extend(classes.iter().map(|(class, images)| vec![visible(class), images.to_string()]));
    text.push_str(&Table::new(&[Align::Left, Align::Right], rows).text(Narrow::Drop(&[])));
    text.push('\n');
    if *renamed > 0 {
        let _ = writeln!(
            text,
            "Renamed with a suffix (-2, -3, ...): {} whose name was taken.",
            counted(*renamed, "image", "images")
        );
    }
    if *without_class > 0 {
        let _ = writeln!(
            text,
            "Left behind: {} without a class.",
            counted(*without_class, "image", "images")
        );
    }
    if *no_images > 0 {
        let _ = writeln!(
            text,
            "Left behind: {} no image (audit lists them).",
            counted(*no_images, "file that gives", "files that give")
        );
    }
    text.push_str(&skipped::text(report.catalog, unstorable, false));
    let to = safe(&shown_name(report.to.as_os_str()));
    if report.is_dry_run {
        let _ = writeln!(text, "Nothing was written to {to}.\n");
    } else {
        let _ = writeln!(text, "Written: {to}/\n");
    }
    let words: [&std::ffi::OsStr; 3] =
        ["mint-sieve".as_ref(), "audit".as_ref(), report.to.as_os_str()];
    text + &next_step("audit it:", &words)
}

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    split_folders: &'static str,
    dry_run: bool,
}

#[derive(Serialize)]
struct Body<'a> {
    to: String,
    images: usize,
    classes: BTreeMap<&'a str, u64>,
    numbered: u64,
    without_class: u64,
    no_images: u64,
    skipped: Vec<SkippedBody<'a>>,
}

/// The answer as JSON.
fn json(report: &GatherReport<'_>) -> String {
    let settings = Settings {
        reading: ReadingSettings::new(report.config),
        split_folders: if report.keeps_splits { "keep" } else { "merge" },
        dry_run: report.is_dry_run,
    };
    let body = Body {
        to: shown_name(report.to.as_os_str()),
        images: report.gathered.placed.len(),
        classes: report.classes(),
        numbered: report.gathered.renamed,
        without_class: report.gathered.without_class,
        no_images: report.gathered.no_images,
        skipped: skipped::body(report.catalog, &report.gathered.skipped),
    };
    envelope("gather", settings, body)
}

impl Reply for GatherReport<'_> {
    fn text(&self) -> String {
        text(self)
    }

    fn json(&self) -> String {
        json(self)
    }
}
