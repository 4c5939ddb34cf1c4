//! `report`: one page with everything, on which a person decides.

mod cases;
mod misleading;
mod page;

pub use cases::{Cases, cases};
pub use misleading::{Misleading, Painted, misleading};
pub use page::page;

use std::path::PathBuf;

use serde::Serialize;
use sieve_core::audit::Audit;
use sieve_core::catalog::Catalog;
use sieve_core::duplicates::DuplicateReport;
use sieve_core::finding::Finding;
use sieve_core::splitting::{Assignment, Request};
use sieve_core::suppression::Suppressed;

use super::repair::plan::Planned;
use super::web::ImageRegistry;
use super::{JudgingSettings, Reply, command_line, counted, envelope, next_step};
use crate::config::CollectionConfig;
use crate::console::{heading, safe};
use crate::requests::ReportRequest;

/// Everything that the page reports.
pub struct Report<'a> {
    /// What was requested.
    pub request: &'a ReportRequest,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// The folder that the page lies in.
    pub folder: PathBuf,
    /// What is in the collection.
    pub catalog: &'a Catalog,
    /// What is there twice.
    pub found: &'a DuplicateReport<'a>,
    /// What is wrong.
    pub audit: &'a Audit,
    /// The findings that are reported.
    pub findings: &'a [Finding],
    /// What is accepted.
    pub suppressed: &'a [Suppressed],
    /// What is proposed.
    pub planned: &'a Planned<'a>,
    /// The usual split of a collection without one.
    pub split: Option<(&'a Request, &'a Assignment<'a>)>,
    /// What policies do.
    pub policies: &'a [PolicyShown],
    /// The images on the page.
    pub album: &'a ImageRegistry,
    /// What shows them.
    pub cases: &'a Cases,
    /// What misleads a model.
    pub misleading: &'a Misleading,
}

/// What a policy does.
#[derive(Serialize)]
pub struct PolicyShown {
    /// Its name.
    pub name: String,
    /// The command that says the same.
    pub command: String,
    /// What it says.
    pub text: String,
    /// The sheet, as base64 of a JPEG.
    pub sheet: String,
    /// Its sides in pixels.
    pub width_px: u32,
    /// See `width_px`.
    pub height_px: u32,
}

#[derive(Serialize)]
struct Body {
    path: String,
    bytes: u64,
    images_shown: usize,
    findings: usize,
    groups: usize,
    proposals: usize,
}

impl Report<'_> {
    fn shown(&self) -> Body {
        Body {
            path: sieve_core::files::shown_name(self.request.out.as_os_str()),
            bytes: 0,
            images_shown: self.album.records.len(),
            findings: self.findings.len(),
            groups: self.found.groups.len(),
            proposals: self.planned.proposed.proposals.len(),
        }
    }
}

/// A report that was written.
pub struct WrittenReport<'a> {
    /// What is on the page.
    pub report: &'a Report<'a>,
    /// Bytes of the page.
    pub bytes: u64,
    /// What decided.
    pub judging: JudgingSettings,
}

impl Reply for WrittenReport<'_> {
    fn text(&self) -> String {
        text(self.report, self.bytes)
    }

    fn json(&self) -> String {
        let body = Body { bytes: self.bytes, ..self.report.shown() };
        envelope("report", &self.judging, body)
    }
}

fn text(report: &Report<'_>, bytes: u64) -> String {
    let shown = report.shown();
    format!(
        "{}\n{}: {}, {}, {} proposed; {} shown\nWritten: {} ({}). It opens in any browser, offline.\n\n{}",
        heading(&safe(&report.catalog.collection.name())),
        counted(report.catalog.images().count() as u64, "image", "images"),
        counted(shown.findings as u64, "finding", "findings"),
        counted(shown.groups as u64, "group", "groups"),
        counted(shown.proposals as u64, "change", "changes"),
        counted(shown.images_shown as u64, "image is", "images are"),
        safe(&shown.path),
        humansize::format_size(bytes, humansize::DECIMAL),
        next_step(
            "open the page, make your decisions and save the plan; then:",
            &apply_words(report)
        ),
    )
}

fn apply_words(report: &Report<'_>) -> Vec<std::ffi::OsString> {
    let to = super::repaired_folder(&report.config.roots[0].path);
    let words: [&std::ffi::OsStr; 5] = [
        "mint-sieve".as_ref(),
        "apply".as_ref(),
        "plan.csv".as_ref(),
        "--to".as_ref(),
        to.as_os_str(),
    ];
    words.map(std::ffi::OsStr::to_owned).to_vec()
}

/// The command that a person gives once the plan is saved.
fn apply_line(report: &Report<'_>) -> String {
    command_line(&apply_words(report))
}
