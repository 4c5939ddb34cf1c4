//! Is every file a sound picture with the right name?

use crate::catalog::Catalog;
use crate::collection::SETTINGS_FILE;
use crate::finding::{Code, Finding, Severity};
use crate::reading::{Doubt, Facts, Format, Trouble};
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
                findings.extend(measured.doubts.iter().map(|found| doubt(record, found)));
                findings.extend(wrong_extension(record, &measured.facts));
            }
        }
    }
    for (folder, reason) in &catalog.collection.unlistable {
        let says = format!("{folder}: {reason}");
        let finding = Finding::new(Code::Unreadable, says).images([folder]);
        findings.push(finding.evidence("reason", reason.as_str()));
    }
    for (path, classes) in &catalog.collection.listed_twice {
        let says = format!("{path}: the table names it {} times", classes.len());
        let mut different = classes.clone();
        different.sort();
        different.dedup();
        let (code, says) = match different.len() {
            1 => (Code::ListedTwice, says),
            _ => (Code::LabelConflict, format!("{says}, as {}", different.join(" and as "))),
        };
        let finding = Finding::new(code, says).images([path]);
        findings.push(finding.evidence("classes", different).evidence("rows", classes.len()));
    }
    for (path, times) in &catalog.collection.packed_twice {
        let says =
            format!("{path}: the archive holds {times} entries of this name; the last was taken");
        let finding = Finding::new(Code::ListedTwice, says).severity(Severity::Warning);
        findings.push(finding.images([path]).evidence("entries", *times));
    }
    findings
}

/// A finding about one file; `what` goes on after its name.
fn about(record: &Record, code: Code, what: &str) -> Finding {
    Finding::new(code, format!("{}: {what}", record.path))
        .of(record.class(), record.split())
        .images([&record.path])
        .evidence("size_bytes", record.size_bytes)
}

fn set_aside(record: &Record, reason: &Reason) -> Finding {
    match reason {
        Reason::Trouble(found) => trouble(record, found),
        Reason::Stray(what) => {
            about(record, Code::StrayFile, what.as_deref().unwrap_or("content of an unknown kind"))
        }
        Reason::SplitTable => about(record, Code::SplitTable, "the split table of this collection"),
        Reason::Link => about(record, Code::LinkNotFollowed, "a symbolic link"),
        Reason::BrokenLink => about(record, Code::BrokenLink, "the link leads nowhere"),
        Reason::LinkLoop => {
            about(record, Code::LinkLoop, "the link leads back to a folder that holds it")
        }
        Reason::Special => about(record, Code::NotAFile, "no regular file"),
        Reason::Refused(why) => about(record, Code::RefusedEntry, why).evidence("reason", &**why),
        Reason::Missing => about(record, Code::MissingFile, "the table names it; it is not there"),
    }
}

fn trouble(record: &Record, trouble: &Trouble) -> Finding {
    let in_format = |code, format: &Format, what: &str, reason: &str| {
        about(record, code, &format!("{}, {what}", format.name()))
            .evidence("format", format.name())
            .evidence("reason", reason)
    };
    match trouble {
        Trouble::Unreadable(reason) => {
            about(record, Code::Unreadable, reason).evidence("reason", reason.as_str())
        }
        Trouble::Empty => about(record, Code::EmptyFile, "0 bytes"),
        Trouble::NotAnImage(what) => {
            let what = what.as_deref().unwrap_or("of an unknown kind");
            about(record, Code::NotAnImage, &format!("the content is {what}"))
                .evidence("content", what)
        }
        Trouble::Unsupported(what) => {
            about(record, Code::UnsupportedFormat, what).evidence("format", what.as_str())
        }
        Trouble::OverLimit(reason) => {
            about(record, Code::OverLimit, reason).evidence("reason", reason.as_str())
        }
        Trouble::CutShort(format, reason) => {
            let what = format!("ends after {} bytes", record.size_bytes);
            in_format(Code::CutShort, format, &what, reason)
        }
        Trouble::Damaged(format, reason) => in_format(Code::Damaged, format, reason, reason),
    }
}

fn doubt(record: &Record, doubt: &Doubt) -> Finding {
    match doubt {
        Doubt::MissingEnd => about(record, Code::MissingEnd, "the end mark is missing"),
        Doubt::TrailingBytes(bytes) => {
            about(record, Code::TrailingBytes, &format!("{bytes} bytes after the picture"))
                .evidence("trailing_bytes", *bytes)
        }
        Doubt::Suspect(reason) => {
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
