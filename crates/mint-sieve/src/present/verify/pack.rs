//! The answer of `verify` about a pack.

use std::fmt::Write;
use std::path::Path;

use humansize::{DECIMAL, format_size};
use serde::Serialize;
use sieve_core::files::shown_name;
use sieve_core::pack::{PackProblem, PackVerdict, Problem};

use crate::console::{ERROR, heading, safe};
use crate::present::cells::listed;
use crate::present::table::written;
use crate::present::{Reply, TableReply, counted, envelope};

/// What was checked and what came of it.
pub struct VerifiedPack<'a> {
    /// The pack.
    pub folder: &'a Path,
    /// Whether everything is listed.
    pub all: bool,
    /// What is wrong.
    pub verdict: &'a PackVerdict,
}

/// Problems of each kind that are named without `--all`.
const FEW: usize = 10;

fn title(problem: Problem) -> &'static str {
    match problem {
        Problem::Missing => "missing files",
        Problem::Changed => "files whose contents changed",
        Problem::Unreadable => "files that cannot be read",
        Problem::Unlisted => "files that are not in SHA256SUMS",
    }
}

/// A problem as a line.
fn line(problem: &PackProblem) -> String {
    let mut line = problem.file.clone();
    if let Some(image) = &problem.image {
        let _ = write!(line, ": {image}");
    }
    if !problem.detail.is_empty() {
        let _ = write!(line, ": {}", problem.detail);
    }
    line
}

#[derive(Serialize)]
struct Settings {
    folder: String,
}

#[derive(Serialize)]
struct Body<'a> {
    is_sound: bool,
    #[serde(flatten)]
    verdict: &'a PackVerdict,
}

impl Reply for VerifiedPack<'_> {
    fn text(&self) -> String {
        let verdict = self.verdict;
        let form = verdict.form.map_or("pack", |form| form.name());
        let mut text = format!(
            "{}\n{form}: {} ({}) compared with SHA256SUMS\n",
            heading(&safe(&shown_name(self.folder.as_os_str()))),
            counted(verdict.files, "file", "files"),
            format_size(verdict.bytes, DECIMAL),
        );
        let mut problems: Vec<&PackProblem> = verdict.problems.iter().collect();
        problems.sort_by_key(|one| one.problem);
        for same in problems.chunk_by(|a, b| a.problem == b.problem) {
            let problem = same[0].problem;
            let (name, title, count) = (problem.name(), title(problem), same.len());
            let _ = writeln!(text, "\n{ERROR}{name}{ERROR:#} ({count}): {title}");
            let shown = if self.all { same.len() } else { listed(same.len(), FEW) };
            for one in same.iter().take(shown) {
                let _ = writeln!(text, "  {}", safe(&line(one)));
            }
            if same.len() > shown {
                let _ = writeln!(text, "  ... {} more (--all)", same.len() - shown);
            }
        }
        if verdict.is_sound() {
            let _ = writeln!(text, "\n{}", heading("Every file is as it was packed."));
        }
        text
    }

    fn json(&self) -> String {
        let settings = Settings { folder: shown_name(self.folder.as_os_str()) };
        let is_sound = self.verdict.is_sound();
        envelope("verify-pack", settings, Body { is_sound, verdict: self.verdict })
    }
}

impl TableReply for VerifiedPack<'_> {
    fn csv(&self) -> String {
        let rows = self.verdict.problems.iter().map(|one| {
            let image = one.image.as_deref().unwrap_or_default();
            [one.problem.name(), &one.file, image, &one.detail]
        });
        written(&["code", "file", "image", "detail"], rows)
    }
}
