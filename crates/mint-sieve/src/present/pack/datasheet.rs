//! The data sheet of a pack: what it holds and where it comes from, for somebody who was not there.

use std::fmt::Write;

use humansize::{DECIMAL, format_size};
use sieve_core::duplicates::Reach;
use sieve_core::finding::{Finding, Severity};
use sieve_core::independent::Independent;
use sieve_core::pack::Form;

use super::PackReport;
use crate::args::Allowance;
use crate::console::Align;
use crate::present::cells::visible;
use crate::present::table::{Table, markdown_text};
use crate::present::{collection_words, command_line, counted, independent_images};

/// What only people know. It is searched for, so that nothing is handed over unread.
const BLANK: &str = "**TO BE FILLED IN**";

/// Findings of one code that are listed.
const MOST: usize = 5;

/// The whole page.
pub fn datasheet(report: &PackReport<'_>) -> String {
    let name = report.catalog.collection.name();
    let mut text = format!("# Data sheet: {}\n\n", markdown_text(&name));
    let _ = writeln!(
        text,
        "{} of {}, {}, packed on {} by mint-sieve {}.\n",
        counted(report.images(), "image", "images"),
        counted(report.index.classes.len() as u64, "class", "classes"),
        format_size(report.image_bytes(), DECIMAL),
        report.day,
        env!("CARGO_PKG_VERSION"),
    );
    people(&mut text);
    contents(&mut text, report);
    provenance(&mut text, report);
    audit(&mut text, report);
    duplicates(&mut text, report);
    left_out(&mut text, report);
    unchecked(&mut text, report);
    text
}

fn people(text: &mut String) {
    text.push_str("## Purpose, collection, consent, licence\n\n");
    for what in [
        "What the images are meant for, and what not",
        "Who collected them, where, when and how",
        "Consent of people shown, and of owners",
        "Licence",
        "Contact",
    ] {
        let _ = writeln!(text, "- {what}: {BLANK}");
    }
}

fn contents(text: &mut String, report: &PackReport<'_>) {
    text.push_str("\n## Contents\n\n");
    let mut head = vec!["index".to_owned(), "class".to_owned()];
    head.extend(report.index.splits.iter().cloned());
    let mut columns = vec![Align::Right; head.len()];
    columns[1] = Align::Left;
    let rows = report.index.classes.iter().enumerate().map(|(index, class)| {
        let mut row = vec![index.to_string(), visible(&class.class)];
        row.extend(class.images.iter().map(u64::to_string));
        row
    });
    let totals = report.parts.iter().map(|part| part.images.len().to_string());
    let total: Vec<String> = [String::new(), "all".to_owned()].into_iter().chain(totals).collect();
    let rows = std::iter::once(head).chain(rows).chain([total]).collect();
    text.push_str(&Table::new(&columns, rows).markdown());
    let form = match report.request.form {
        Form::Tree => "Images are files: split/class/image.",
        Form::Zip => "Each split is a ZIP archive: class/image.",
        Form::Tar => "Each split is a tar archive: class/image.",
        Form::Shards => {
            "Each split is a number of tar archives with images in random order. The table SPLIT-shards.csv says where each image begins."
        }
        Form::Arrow => {
            "Each split is an Arrow IPC file: the columns of its manifest, and `image` with the bytes of each file."
        }
        Form::Parquet => {
            "Each split is a Parquet file: the columns of its manifest, and `image` with the bytes of each file."
        }
        Form::Npy => {
            "Each split is two arrays of NumPy: SPLIT-images.npy (uint8) and SPLIT-labels.npy (int64, the class index)."
        }
    };
    let _ = writeln!(text, "\n{form}");
    match report.frame {
        Some(frame) => {
            let _ = writeln!(text, "Images were resized to {frame}.");
        }
        None => text.push_str("Images are the original files, byte for byte.\n"),
    }
    text.push_str(
        "SPLIT-manifest lists each image with its class, size, SHA-256 checksum and group; `sha256sum -c SHA256SUMS` checks every file.\n",
    );
    let vanished = report.vanished_classes();
    if !vanished.is_empty() {
        let names: Vec<String> = vanished.iter().map(|name| markdown_text(name)).collect();
        let _ =
            writeln!(text, "Classes without images, which keep their index: {}.", names.join(", "));
    }
    if let Some(channels) = report.numbers.channels {
        let three = |values: [f64; 3]| values.map(|value| format!("{value:.4}")).join(", ");
        let _ = writeln!(
            text,
            "Channels (red, green, blue) of {}, {}, from 0 to 1: mean {}; standard deviation {}.",
            counted(channels.images, "training image", "training images"),
            if report.frame.is_some() { "as resized" } else { "at their own sizes" },
            three(channels.mean),
            three(channels.std),
        );
    }
}

fn provenance(text: &mut String, report: &PackReport<'_>) {
    text.push_str("\n## Provenance\n\n");
    let mut words: Vec<std::ffi::OsString> = vec!["mint-sieve".into(), "pack".into()];
    words.extend(collection_words(report.config));
    words.extend(report.request.words().into_iter().map(Into::into));
    let inventory = &report.audit.inventory;
    let command = markdown_text(&command_line(&words));
    let _ = writeln!(text, "- Command: {command}");
    let _ = writeln!(text, "- Version: mint-sieve {}", env!("CARGO_PKG_VERSION"));
    let _ = writeln!(text, "- Date: {}", report.day);
    let _ = writeln!(
        text,
        "- Source: {} in {}{}",
        counted(inventory.images, "image", "images"),
        counted(inventory.files, "file", "files"),
        match inventory.set_aside {
            0 => String::new(),
            set_aside => format!("; {set_aside} others are no images, or cannot be read"),
        },
    );
    let captured: Vec<i64> = report
        .catalog
        .images()
        .filter_map(|(_, measured)| measured.facts.captured_seconds())
        .collect();
    if let (Some(first), Some(last)) = (captured.iter().min(), captured.iter().max()) {
        let day = |seconds: i64| {
            sieve_core::reading::time_of_seconds(seconds as f64)[.."YYYY-MM-DD".len()].to_owned()
        };
        let _ = writeln!(
            text,
            "- Captured between {} and {} ({} of {} images say when)",
            day(*first),
            day(*last),
            captured.len(),
            inventory.images,
        );
    }
}

fn audit(text: &mut String, report: &PackReport<'_>) {
    let audit = report.audit;
    let counts = Severity::ALL.map(|severity| {
        let count = audit.count(severity) as u64;
        let word = severity.as_str();
        counted(count, word, &format!("{word}s"))
    });
    let _ = writeln!(text, "\n## Audit: {}\n", counts.join(", "));
    text.push_str("The findings below are known weaknesses of these images.\n");
    let shown = audit.findings.iter().filter(|finding| finding.severity != Severity::Note);
    let shown: Vec<&Finding> = shown.collect();
    for group in shown.chunk_by(|a, b| (a.severity, a.code) == (b.severity, b.code)) {
        let code = group[0].code;
        let is_error = group[0].severity == Severity::Error;
        let is_allowed = report.request.allow.contains(&Allowance::Finding(code));
        let allowed = match (is_error, is_allowed) {
            (false, _) => "",
            (true, true) => "; packed all the same, with --allow",
            (true, false) => "; of files in no split, which are not in this pack",
        };
        let _ = writeln!(
            text,
            "\n### {} ({}): {}{allowed}\n",
            code.as_str(),
            group[0].severity.as_str(),
            code.title()
        );
        for finding in group.iter().take(MOST) {
            let _ = writeln!(text, "- {}", markdown_text(&finding.message));
        }
        if group.len() > MOST {
            let _ = writeln!(text, "- ... {} more", group.len() - MOST);
        }
    }
    let accepted: Vec<_> = report.suppressed.iter().filter(|one| one.findings > 0).collect();
    if !accepted.is_empty() {
        text.push_str("\n### Accepted\n\n");
        for one in accepted {
            let about: Vec<String> = [
                one.code.map(str::to_owned),
                one.class.as_ref().map(|class| format!("class {class}")),
                one.path.as_ref().map(|path| format!("files {path}")),
            ]
            .into_iter()
            .flatten()
            .collect();
            let _ = writeln!(
                text,
                "- {} ({}): {}",
                markdown_text(&about.join(", ")),
                counted(one.findings as u64, "finding", "findings"),
                markdown_text(&one.reason),
            );
        }
    }
}

fn duplicates(text: &mut String, report: &PackReport<'_>) {
    text.push_str("\n## Duplicates\n\n");
    let _ = writeln!(text, "{}.", independent_images(Independent::new(report.found)));
    let reach = match report.found.reach {
        Reach::Exact => "identical files and identical pixels",
        Reach::Near => "identical files and images saved again or resized",
        Reach::Wide => {
            "identical files, and images saved again, resized, cropped, turned or framed"
        }
    };
    let leaks = report.audit.leakage.cross_split_pairs.len() as u64;
    let _ = writeln!(text, "Duplicates were searched for among all images and splits: {reach}.");
    let _ = match leaks {
        0 => writeln!(text, "No duplicate and no burst was found in two splits."),
        _ => writeln!(
            text,
            "{} between splits: a score measured on these splits is inflated.",
            counted(leaks, "pair is shared", "pairs are shared")
        ),
    };
    text.push_str(
        "Images with the same group in the manifests are duplicates, burst frames, or declared to belong together.\n",
    );
}

fn left_out(text: &mut String, report: &PackReport<'_>) {
    if report.left_out.is_empty() {
        return;
    }
    let count = counted(report.left_out.len() as u64, "image", "images");
    let _ = writeln!(text, "\n## Left out: {count}\n");
    for one in report.left_out.iter().take(MOST * 4) {
        let _ = writeln!(text, "- {}: {}", markdown_text(&one.path), markdown_text(&one.why));
    }
    if report.left_out.len() > MOST * 4 {
        let _ = writeln!(text, "- ... {} more", report.left_out.len() - MOST * 4);
    }
}

fn unchecked(text: &mut String, report: &PackReport<'_>) {
    text.push_str("\n## Not checked\n\n");
    let mut lines = vec![
        "Whether labels are right: only duplicates under two classes and outliers hint at wrong ones.",
        "Whether the images show what the model will meet in use.",
        "Whether people, faces, plates or private places are shown.",
        "Whether images occur on the internet or in the training data of a pretrained model.",
    ];
    if report.found.reach != Reach::Wide {
        lines.push("Whether images are crops, turned or framed copies of others.");
    }
    if report.numbers.channels.is_none() {
        lines.push("Mean and standard deviation of the channels.");
    }
    for line in lines {
        let _ = writeln!(text, "- {line}");
    }
}
