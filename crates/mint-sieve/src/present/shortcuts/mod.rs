//! What `shortcuts` says.

mod sheet;
mod text;

pub use sheet::{mask, rows, title};

use std::path::Path;

use serde::Serialize;
use sieve_core::appearance::Excluded;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::files::shown_name;
use sieve_core::finding::Finding;
use sieve_core::limits::FindingLimits;
use sieve_core::measuring::Thumbnail;
use sieve_core::shortcuts::{ClassShortcut, FALSE_ALARMS, Recognised, Shortcuts, TiedValue};
use sieve_core::suppression::Suppressed;

use super::table::written;
use super::{JudgingSettings, Reply, TableReply, envelope};
use crate::config::CollectionConfig;

/// What gives classes away, and what that was found in.
pub struct ShortcutReport<'a> {
    /// Whether every class is listed.
    pub all: bool,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// What is in it.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// The thumbnails of the images of `found`.
    pub thumbnails: &'a [Option<Thumbnail>],
    /// The limits in force.
    pub limits: &'a FindingLimits,
    /// What came out.
    pub shortcuts: &'a Shortcuts,
    /// What is wrong with it.
    pub findings: &'a [Finding],
    /// What is accepted.
    pub suppressed: &'a [Suppressed],
    /// What decided.
    pub judging: JudgingSettings,
    /// The sheet that was written.
    pub sheet: Option<&'a Path>,
}

impl ShortcutReport<'_> {
    /// The classes, those that are most certainly known by their background first.
    fn ordered(&self) -> Vec<&ClassShortcut> {
        let mut classes: Vec<&ClassShortcut> = self.shortcuts.classes.iter().collect();
        let bound = |one: &ClassShortcut| one.border.interval.low.min(one.colour.interval.low);
        classes.sort_by(|a, b| bound(b).total_cmp(&bound(a)).then(a.class.cmp(&b.class)));
        classes
    }
}

#[derive(Serialize)]
struct Body<'a> {
    root: String,
    false_alarms: f64,
    classes: Vec<ClassBody<'a>>,
    excluded: &'a [Excluded],
    findings: &'a [Finding],
    suppressed: &'a [Suppressed],
    sheet: Option<String>,
}

#[derive(Serialize)]
struct ClassBody<'a> {
    class: &'a str,
    images: usize,
    border: Recognised,
    colour: Recognised,
    file: Recognised,
    vectors: Option<Recognised>,
    metadata: &'a [TiedValue],
    is_background_shortcut: bool,
}

impl Reply for ShortcutReport<'_> {
    fn text(&self) -> String {
        text::text(self)
    }

    fn json(&self) -> String {
        let class = |one: &'_ ClassShortcut| one.is_background(self.limits);
        let classes = self.shortcuts.classes.iter().map(|one| ClassBody {
            class: &one.class,
            images: one.images.len(),
            border: one.border,
            colour: one.colour,
            file: one.file,
            vectors: one.vectors,
            metadata: &one.metadata,
            is_background_shortcut: class(one),
        });
        let body = Body {
            root: self.catalog.collection.name(),
            false_alarms: FALSE_ALARMS,
            classes: classes.collect(),
            excluded: &self.shortcuts.excluded,
            findings: self.findings,
            suppressed: self.suppressed,
            sheet: self.sheet.map(|sheet| shown_name(sheet.as_os_str())),
        };
        envelope("shortcuts", &self.judging, body)
    }
}

impl TableReply for ShortcutReport<'_> {
    fn csv(&self) -> String {
        let rows = self.shortcuts.classes.iter().map(|one| {
            let mut row = vec![one.class.clone(), one.images.len().to_string()];
            for known in [one.border, one.colour, one.file] {
                row.extend([known.share, known.interval.low].map(|share| format!("{share:.4}")));
            }
            row.push(u8::from(one.is_background(self.limits)).to_string());
            row
        });
        let head = [
            "class",
            "images",
            "border",
            "border_lower_bound",
            "colour",
            "colour_lower_bound",
            "file",
            "file_lower_bound",
            "background_shortcut",
        ];
        written(&head, rows)
    }
}
