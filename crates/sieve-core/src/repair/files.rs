//! Rules about single files.

use std::path::Path;

use super::builder::{Draft, RowReason};
use super::plan::Action;
use super::rules::Rule;
use crate::collection::Label;
use crate::csv_escape;
use crate::files::RelPath;
use crate::finding::Finding;
use crate::record::{Outcome, Reason, Record};

/// Files that were meant as images and give none.
pub fn unreadable(draft: &mut Draft<'_>) {
    for record in &draft.subject.catalog.records {
        let Outcome::SetAside(Reason::ReadError(error)) = &record.outcome else { continue };
        let said = RowReason::new(Rule::Unreadable, error.to_string());
        if error.is_final() { draft.drop(record, said) } else { draft.decide(record, said) }
    }
}

/// Files of a list.
pub fn listed(draft: &mut Draft<'_>) {
    for record in &draft.subject.catalog.records {
        if draft.wishes.drop_list.contains(&record.path) && draft.is_free(record) {
            draft.drop(record, RowReason::new(Rule::Listed, "on the list of files to drop"));
        }
    }
}

/// Files of findings of some codes.
pub fn codes(draft: &mut Draft<'_>) {
    for finding in draft.subject.findings {
        if !draft.wishes.drop_codes.contains(&finding.code) {
            continue;
        }
        for image in &finding.images {
            let Some(&record) = draft.records.get(image.as_str()) else { continue };
            if draft.is_free(record) {
                let reason = format!("{}: {}", finding.code.as_str(), own_words(finding, image));
                draft.drop(record, RowReason::new(Rule::Codes, reason));
            }
        }
    }
}

/// What a finding says, without the name of the file that it begins with.
fn own_words<'a>(finding: &'a Finding, image: &str) -> &'a str {
    let rest = finding.message.strip_prefix(image).and_then(|rest| rest.strip_prefix(": "));
    rest.unwrap_or(&finding.message)
}

/// Images beside the class folders.
pub fn unplaced(draft: &mut Draft<'_>) {
    let catalog = draft.subject.catalog;
    for (record, _) in catalog.images() {
        if record.place.label == Label::Outside && draft.is_free(record) {
            draft.decide(record, RowReason::new(Rule::Unplaced, "in no class: relabel or drop it"));
        }
    }
}

/// Files whose ending is that of another format.
pub fn extensions(draft: &mut Draft<'_>) {
    let catalog = draft.subject.catalog;
    for (record, measured) in catalog.images() {
        let format = measured.facts.format;
        let extension = record.path.extension().unwrap_or_default();
        if draft.is_gone(record) || format.extensions().contains(&extension.as_str()) {
            continue;
        }
        let to = draft.free_name(record, with_extension(record, format.extensions()[0]));
        let reason = format!("the content is {}", format.name());
        let from = record.path.file_name().to_owned();
        draft.add(record, Action::Rename, from, to, RowReason::new(Rule::Extensions, reason));
    }
}

/// The file's name with another ending. What stands after the last dot is an ending only where it is one of a format.
fn with_extension(record: &Record, extension: &str) -> String {
    // As a cell of a plan: it is read back as one.
    let name = record.path.native().file_name().unwrap_or_default();
    let name = csv_escape::of_path(&RelPath::new(Path::new(name)));
    let is_ending = crate::reading::is_image_name(&record.path);
    let stem = name.rsplit_once('.').filter(|(stem, _)| is_ending && !stem.is_empty());
    format!("{}.{extension}", stem.map_or(&*name, |(stem, _)| stem))
}

/// Images that are upright only by their EXIF orientation.
pub fn orientation(draft: &mut Draft<'_>) {
    let catalog = draft.subject.catalog;
    for (record, measured) in catalog.images() {
        if measured.facts.orientation > 1 && !draft.is_gone(record) {
            let reason = format!(
                "EXIF orientation {}, which some loaders ignore",
                measured.facts.orientation
            );
            let from = record.path.file_name().to_owned();
            let to = draft.free_name(record, with_extension(record, "png"));
            draft.add(record, Action::Rotate, from, to, RowReason::new(Rule::Orientation, reason));
        }
    }
}

/// Images of formats that a loader does not read.
pub fn formats(draft: &mut Draft<'_>) {
    let catalog = draft.subject.catalog;
    for (record, measured) in catalog.images() {
        let format = measured.facts.format;
        if draft.wishes.convert.contains(&format) && !draft.is_gone(record) {
            if draft.has(record, Action::Rotate) {
                continue; // it becomes a PNG anyway
            }
            let from = record.path.file_name().to_owned();
            let to = draft.free_name(record, with_extension(record, "png"));
            let reason = format!("stored as {}", format.name());
            draft.forget(record, &[Action::Rename]);
            draft.add(record, Action::Convert, from, to, RowReason::new(Rule::Formats, reason));
        }
    }
}
