//! The images of a sheet that are named by findings, by a plan or by their paths, and why each is shown.

use std::collections::HashMap;
use std::io::Read;

use sieve_core::audit;
use sieve_core::bounded_read::{self, MOST_TABLE_BYTES};
use sieve_core::catalog::Catalog;
use sieve_core::csv_escape::path_of;
use sieve_core::files::RelPath;
use sieve_core::finding::{Code, Severity};
use sieve_core::repair::{Action, Plan};
use sieve_core::store::Store;

use crate::commands::collection;
use crate::config::CollectionConfig;
use crate::failure::Failure;
use crate::present::sheet::Mark;
use crate::progress::TerminalProgress;
use crate::settings::SetLimits;

/// An image, and why it is shown.
#[derive(Clone)]
pub struct SheetImage {
    /// The number of its record.
    pub record: usize,
    /// Why; empty where it is one of its class.
    pub why: String,
    /// What its edge says.
    pub mark: Mark,
}

/// Each image once, with all that is said of it.
pub fn once_each(named: Vec<SheetImage>) -> Vec<SheetImage> {
    let mut once: Vec<SheetImage> = Vec::new();
    let mut places: HashMap<usize, usize> = HashMap::new();
    for shown in named {
        match places.get(&shown.record) {
            Some(&place) => {
                let known = &mut once[place];
                if !shown.why.is_empty() && !known.why.contains(&shown.why) {
                    known.why = format!("{}; {}", known.why, shown.why);
                }
                if shown.mark == Mark::Wrong {
                    known.mark = Mark::Wrong;
                }
            }
            None => {
                places.insert(shown.record, once.len());
                once.push(shown);
            }
        }
    }
    once
}

fn by_path(catalog: &Catalog) -> HashMap<&str, usize> {
    let images = catalog.records.iter().enumerate().filter(|(_, record)| record.image().is_some());
    images.map(|(at, record)| (record.path.as_str(), at)).collect()
}

/// Images of the findings with these codes.
pub fn of_findings(
    codes: &[Code],
    config: &CollectionConfig,
    measured: &(Catalog, Option<Store>),
    progress: &TerminalProgress,
) -> Result<Vec<SheetImage>, Failure> {
    let limits = SetLimits::new(&config.settings, &[])?.values;
    collection::search_in(config, measured, None, progress, |catalog, found| {
        let known = by_path(catalog);
        let findings = audit::audit(catalog, found, &limits, &[]).findings;
        let wanted = findings.iter().filter(|finding| codes.contains(&finding.code));
        let mut shown = Vec::new();
        for finding in wanted {
            for image in &finding.images {
                let own = finding
                    .message
                    .strip_prefix(image.as_str())
                    .and_then(|rest| rest.strip_prefix(": "));
                let why = own.map_or_else(|| finding.code.as_str().to_owned(), str::to_owned);
                let mark =
                    if finding.severity == Severity::Note { Mark::Note } else { Mark::Wrong };
                shown.extend(known.get(image.as_str()).map(|&record| SheetImage {
                    record,
                    why: why.clone(),
                    mark,
                }));
            }
        }
        Ok(shown)
    })
}

/// Images that the plan in `file` names.
pub fn of_plan(file: &std::path::Path, catalog: &Catalog) -> Result<Vec<SheetImage>, Failure> {
    let wrong = |reason: String| {
        Failure::input(format!("cannot read the plan {}: {reason}", file.display()))
    };
    let bytes = bounded_read::read(file, MOST_TABLE_BYTES).map_err(wrong)?;
    let plan = Plan::parse(&bytes).map_err(|problems| {
        Failure::call(format!("the plan {} is not valid", file.display()))
            .details(problems.problems)
    })?;
    let known = by_path(catalog);
    let shown = plan.rows.iter().filter_map(|(_, row)| {
        let record = *known.get(row.path.as_str())?;
        let to = if row.to.is_empty() { String::new() } else { format!(" {}", row.to) };
        let mark = match row.action {
            Action::Keep => Mark::None,
            Action::Drop | Action::Decide => Mark::Wrong,
            _ => Mark::Note,
        };
        Some(SheetImage { record, why: format!("{}{to}: {}", row.action, row.reason), mark })
    });
    Ok(shown.collect())
}

/// Images whose paths are read from standard input.
pub fn of_paths(catalog: &Catalog) -> Result<Vec<SheetImage>, Failure> {
    let mut text = String::new();
    std::io::stdin()
        .take(MOST_TABLE_BYTES)
        .read_to_string(&mut text)
        .map_err(|error| Failure::input(format!("cannot read standard input: {error}")))?;
    let known = by_path(catalog);
    let mut shown = Vec::new();
    for (at, line) in text.lines().enumerate().filter(|(_, line)| !line.is_empty()) {
        let path = RelPath::new(&path_of(line));
        let record = known.get(path.as_str()).copied().ok_or_else(|| {
            Failure::call(format!("line {} of standard input: there is no image {line:?}", at + 1))
                .hint("Expected paths relative to the root of the collection.")
        })?;
        shown.push(SheetImage { record, why: String::new(), mark: Mark::None });
    }
    Ok(shown)
}
