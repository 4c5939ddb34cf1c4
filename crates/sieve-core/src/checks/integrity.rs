//! Is every file a sound image with the right name?

use crate::catalog::Catalog;
use crate::collection::{AUGMENTED_TABLE, CLASS_INDEX, SETTINGS_FILE};
use crate::finding::{Code, Finding, Severity};
use crate::reading::{Facts, Format, ReadError, ReadWarning};
use crate::record::{Outcome, Reason, Record};

/// One finding for each file that was set aside, each doubt, and each wrong name; one for each
/// folder that could not be listed and each path that a table repeats.
pub fn integrity(catalog: &Catalog) -> Vec<Finding> {
    let mut findings = Vec::new();
    for record in &catalog.records {
        match &record.outcome {
            Outcome::SetAside(Reason::Stray(_)) if record.path.as_str() == SETTINGS_FILE => {}
            Outcome::SetAside(reason) => findings.push(set_aside(record, reason)),
            Outcome::Image(measured) => {
                findings
                    .extend(measured.read_warnings.iter().map(|found| read_warning(record, found)));
                findings.extend(wrong_extension(record, &measured.facts));
            }
        }
    }
    for (folder, reason) in &catalog.collection.unlistable {
        let message = format!("{folder}: {reason}");
        let finding = Finding::new(Code::Unreadable, message).images([folder]);
        findings.push(finding.evidence("reason", reason.as_str()));
    }
    for (path, classes) in &catalog.collection.listed_twice {
        let message = format!("{path}: the table lists it {} times", classes.len());
        let mut different = classes.clone();
        different.sort();
        different.dedup();
        let (code, message) = match different.len() {
            1 => (Code::ListedTwice, message),
            _ => (Code::LabelConflict, format!("{message}, as {}", different.join(" and as "))),
        };
        let finding = Finding::new(code, message).images([path]);
        findings.push(finding.evidence("classes", different).evidence("rows", classes.len()));
    }
    for (path, times) in &catalog.collection.packed_twice {
        let message =
            format!("{path}: the archive has {times} entries of this name; the last was read");
        let finding = Finding::new(Code::ListedTwice, message).severity(Severity::Warning);
        findings.push(finding.images([path]).evidence("entries", *times));
    }
    findings
}

/// A finding about one file; `what` goes on after its name.
fn about(record: &Record, code: Code, what: &str) -> Finding {
    Finding::new(code, format!("{}: {what}", record.path))
        .about(record.class(), record.split())
        .images([&record.path])
        .evidence("size_bytes", record.size_bytes)
}

fn set_aside(record: &Record, reason: &Reason) -> Finding {
    match reason {
        Reason::ReadError(found) => read_error(record, found),
        Reason::Stray(what) => {
            about(record, Code::StrayFile, what.as_deref().unwrap_or("content of unknown type"))
        }
        Reason::GeneratedTable => about(
            record,
            Code::GeneratedTable,
            match record.path.file_name() {
                CLASS_INDEX => "the number of each class",
                AUGMENTED_TABLE => "which image was made from which",
                _ => "the split of each image",
            },
        ),
        Reason::Link => about(record, Code::LinkNotFollowed, "a symbolic link"),
        Reason::BrokenLink => about(record, Code::BrokenLink, "the link leads nowhere"),
        Reason::LinkLoop => {
            about(record, Code::LinkLoop, "the link leads back to a folder that contains it")
        }
        Reason::Special => about(record, Code::NotAFile, "not a regular file"),
        Reason::Refused(why) => about(record, Code::RefusedEntry, why).evidence("reason", &**why),
        Reason::Missing => {
            about(record, Code::MissingFile, "the table lists it, but it does not exist")
        }
    }
}

fn read_error(record: &Record, read_error: &ReadError) -> Finding {
    let in_format = |code, format: &Format, what: &str, reason: &str| {
        about(record, code, &format!("{}, {what}", format.name()))
            .evidence("format", format.name())
            .evidence("reason", reason)
    };
    match read_error {
        ReadError::Unreadable(reason) => {
            about(record, Code::Unreadable, reason).evidence("reason", reason.as_str())
        }
        ReadError::Empty => about(record, Code::EmptyFile, "0 bytes"),
        ReadError::NotAnImage(what) => {
            let what = what.as_deref().unwrap_or("of unknown type");
            about(record, Code::NotAnImage, &format!("the content is {what}"))
                .evidence("content", what)
        }
        ReadError::Unsupported(what) => {
            about(record, Code::UnsupportedFormat, what).evidence("format", what.as_str())
        }
        ReadError::OverLimit(reason) => {
            about(record, Code::OverLimit, reason).evidence("reason", reason.as_str())
        }
        ReadError::Truncated(format, reason) => {
            let what = format!("ends after {} bytes", record.size_bytes);
            in_format(Code::Truncated, format, &what, reason)
        }
        ReadError::Damaged(format, reason) => in_format(Code::Damaged, format, reason, reason),
    }
}

fn read_warning(record: &Record, read_warning: &ReadWarning) -> Finding {
    match read_warning {
        ReadWarning::MissingEnd => about(record, Code::MissingEnd, "the end marker is missing"),
        ReadWarning::TrailingBytes(bytes) => {
            about(record, Code::TrailingBytes, &format!("{bytes} bytes after the end of the image"))
                .evidence("trailing_bytes", *bytes)
        }
        ReadWarning::Suspect(reason) => {
            about(record, Code::SuspectData, reason).evidence("reason", reason.as_str())
        }
    }
}

fn wrong_extension(record: &Record, facts: &Facts) -> Option<Finding> {
    let extension = record.path.extension().unwrap_or_default();
    if facts.format.extensions().contains(&extension.as_str()) {
        return None;
    }
    let format = facts.format.name();
    let named = if extension.is_empty() {
        "and the name has no extension".to_owned()
    } else {
        format!("the name says .{extension}")
    };
    Some(
        about(record, Code::WrongExtension, &format!("the content is {format}, {named}"))
            .evidence("format", format)
            .evidence("extension", extension.as_str()),
    )
}
