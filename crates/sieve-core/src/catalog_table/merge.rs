//! Merging parts into one catalog.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use super::columns::file_of;
use super::part::{Part, PartHead, SCHEMA};
use super::read::read;
use crate::Error;
use crate::measuring::MEASURING_VERSION;
use crate::progress::Progress;
use crate::store::Store;

/// What was merged.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct MergeReport {
    /// Rows of each part, by its number.
    pub parts: BTreeMap<u32, u64>,
    /// Rows of all.
    pub files: u64,
}

/// Rows that are put into the catalog together.
const ROWS: usize = 500;

/// Puts the files of all parts into `store`, a new catalog.
///
/// # Errors
///
/// [`Error::PartUnusable`], where a part cannot be read, is of another version, limits or number of parts, is given twice, or
/// holds a file that is not its own; where a part is missing; when `progress` asks to stop. The store is of no use then.
pub fn merge(
    parts: &[PathBuf],
    store: &mut Store,
    progress: &dyn Progress,
) -> Result<MergeReport, Error> {
    progress.begin("reading parts", Some(parts.len() as u64));
    let mut report = MergeReport::default();
    let mut known: BTreeMap<Part, &Path> = BTreeMap::new();
    let mut first: Option<(PartHead, &Path)> = None;
    for file in parts {
        let unusable = |reason: String| Error::PartUnusable { path: file.clone(), reason };
        let mut waiting = Vec::new();
        let mut rows = 0u64;
        let mut is_checked = false;
        let head = read(file, &mut |head, cells| {
            if progress.stopped() {
                return Err("the run was stopped".to_owned());
            }
            if !is_checked {
                check(head, first.as_ref())?;
                is_checked = true;
            }
            let stored = file_of(&cells)?;
            if !head.part.holds(&stored.path) {
                return Err(format!(
                    "it is part {}, and {} is not of that part",
                    head.part, stored.path
                ));
            }
            waiting.push(stored);
            rows += 1;
            if waiting.len() == ROWS { put(store, &mut waiting) } else { Ok(()) }
        });
        if progress.stopped() {
            return Err(Error::Interrupted);
        }
        let head = head.map_err(unusable)?;
        // A part without rows has a head as well.
        check(&head, first.as_ref()).map_err(unusable)?;
        if let Some(other) = known.insert(head.part, file) {
            let reason = format!("it is part {}, as is {}", head.part, other.display());
            return Err(unusable(reason));
        }
        put(store, &mut waiting).map_err(unusable)?;
        report.parts.insert(head.part.number, rows);
        report.files += rows;
        first.get_or_insert((head, file));
        progress.advance(1);
    }
    let of = first.map_or(0, |(head, _)| head.part.of);
    let missing: Vec<u32> = (1..=of).filter(|number| !report.parts.contains_key(number)).collect();
    if !missing.is_empty() {
        return Err(Error::PartsMissing { missing, of });
    }
    Ok(report)
}

/// Whether a part goes with this program and with the first of the others.
fn check(head: &PartHead, first: Option<&(PartHead, &Path)>) -> Result<(), String> {
    if head.schema != SCHEMA {
        return Err(format!("its schema is {:?}, and this program reads {SCHEMA}", head.schema));
    }
    if head.measuring_version != MEASURING_VERSION {
        return Err(format!(
            "it was measured by version {} of the measures, and this program has version {MEASURING_VERSION}; \
             measure it again",
            head.measuring_version
        ));
    }
    if head.part.of == 0 || head.part.number == 0 || head.part.number > head.part.of {
        return Err(format!("there is no part {}", head.part));
    }
    let Some((other, file)) = first else { return Ok(()) };
    if head.part.of != other.part.of {
        return Err(format!(
            "it is part {}, and {} is part {}",
            head.part,
            file.display(),
            other.part
        ));
    }
    if head.limits != other.limits {
        return Err(format!(
            "it was read under other limits ({:?}) than {} ({:?})",
            head.limits,
            file.display(),
            other.limits
        ));
    }
    Ok(())
}

fn put(store: &mut Store, waiting: &mut Vec<super::columns::StoredFile>) -> Result<(), String> {
    let rows = waiting.drain(..).map(|file| (file.path, file.row, file.thumbnail));
    store.put_all(rows).map_err(|error| format!("the catalog cannot be written: {error}"))
}
