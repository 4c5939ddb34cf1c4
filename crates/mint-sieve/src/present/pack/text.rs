//! `pack` for people.

use std::fmt::Write;

use humansize::{DECIMAL, format_size};
use sieve_core::files::shown_name;
use sieve_core::finding::Severity;
use sieve_core::objects::is_bucket;
use sieve_core::pack::ChannelStatistics;

use super::PackReport;
use crate::console::{Align, FAINT, Narrow, heading, safe};
use crate::present::cells::{FEW_ROWS, shortened, visible};
use crate::present::table::Table;
use crate::present::{counted, next_step};

/// The whole answer.
pub fn text(report: &PackReport<'_>) -> String {
    let request = report.request;
    let mut text = format!("{}\n", heading(&safe(&report.catalog.collection.name())));
    let frame = report
        .frame
        .map_or_else(|| "original files".to_owned(), |frame| format!("resized to {frame}"));
    let _ = writeln!(
        text,
        "{} of {} as {}, {frame}; {}",
        counted(report.images(), "image", "images"),
        counted(report.index.classes.len() as u64, "class", "classes"),
        request.form.name(),
        format_size(report.image_bytes(), DECIMAL),
    );
    text.push_str(&splits(report));
    text.push_str(&classes(report));
    text.push_str(&numbers(report));
    for (what, classes) in [
        ("New classes, appended to the index", report.new_classes()),
        ("Classes of the earlier index without images", report.vanished_classes()),
    ] {
        if !classes.is_empty() {
            let names: Vec<String> = classes.iter().map(|class| safe(&visible(class))).collect();
            let _ = writeln!(text, "{what}: {}", names.join(", "));
        }
    }
    if !report.left_out.is_empty() {
        let count = counted(report.left_out.len() as u64, "image", "images");
        let _ = writeln!(text, "{count} left out: see DATASHEET.md");
    }
    let counts = Severity::ALL.map(|severity| {
        let word = severity.as_str();
        counted(report.audit.count(severity) as u64, word, &format!("{word}s"))
    });
    let _ = writeln!(
        text,
        "\nAudit: {}. DATASHEET.md lists them, and has blanks for purpose, consent and licence.",
        counts.join(", ")
    );
    let to = shown_name(request.to.as_os_str());
    let _ = writeln!(text, "Written: {}", safe(&to));
    text.push('\n');
    if is_bucket(&request.to) {
        let words = ["mint-sieve", "verify", "FOLDER"];
        return text + &next_step("check it where it was downloaded to:", &words);
    }
    let words = ["mint-sieve".into(), "verify".into(), request.to.clone().into_os_string()];
    text + &next_step("check it where it is used:", &words)
}

fn splits(report: &PackReport<'_>) -> String {
    let rows = report.index.splits.iter().zip(report.parts).map(|(split, part)| {
        let bytes: u64 = part.images.iter().map(|image| image.size_bytes).sum();
        let files = match &part.files[..] {
            [] => format!("{split}/"),
            [only] => only.file.clone(),
            [first, last] => format!("{}, {}", first.file, last.file),
            [first, .., last] => {
                format!("{} to {} ({})", first.file, last.file, part.files.len())
            }
        };
        vec![visible(split), part.images.len().to_string(), format_size(bytes, DECIMAL), files]
    });
    let head = ["split", "images", "size", "files"].map(str::to_owned).to_vec();
    let rows = std::iter::once(head).chain(rows).collect();
    let columns = [Align::Left, Align::Right, Align::Right, Align::Left];
    Table::new(&columns, rows).captioned("Splits").section(Narrow::Keep)
}

fn classes(report: &PackReport<'_>) -> String {
    let classes = report.index.classes.iter().zip(&report.numbers.class_weights);
    let weight = |weight: Option<f64>| weight.map_or("-".to_owned(), |w| format!("{w:.3}"));
    let rows = classes.enumerate().map(|(index, (class, weights))| {
        let mut row = vec![visible(&class.class), index.to_string()];
        row.extend(class.images.iter().map(u64::to_string));
        row.extend([weight(weights.inverse_frequency), weight(weights.effective_number)]);
        row
    });
    let mut head = vec!["class".to_owned(), "index".to_owned()];
    head.extend(report.index.splits.iter().cloned());
    head.extend(["1/frequency", "effective"].map(str::to_owned));
    let mut columns = vec![Align::Right; head.len()];
    columns[0] = Align::Left;
    let rows = [vec![head], shortened(rows.collect(), FEW_ROWS, false)].concat();
    let table = Table::new(&columns, rows).captioned("Class index and weights");
    table.section(Narrow::Drop(&["effective"]))
}

fn numbers(report: &PackReport<'_>) -> String {
    let numbers = report.numbers;
    let mut text =
        format!("\n{}\n", heading(&safe(&format!("Numbers of {}", numbers.training_split))));
    match &numbers.channels {
        Some(ChannelStatistics { images, mean, std, .. }) => {
            let three = |values: &[f64; 3]| values.map(|value| format!("{value:.4}")).join("  ");
            let _ = writeln!(text, "mean (red, green, blue)  {}", three(mean));
            let _ = writeln!(text, "standard deviation       {}", three(std));
            let seen = if report.frame.is_some() { "frames" } else { "original images" };
            let _ = writeln!(text, "{FAINT}over {images} {seen}, values from 0 to 1{FAINT:#}");
        }
        None => {
            text.push_str("mean and standard deviation: not computed (--no-statistics)\n");
        }
    }
    let batches = numbers.batches;
    let _ = writeln!(
        text,
        "{} per epoch in batches of {}; the last has {}",
        counted(batches.steps_per_epoch, "step", "steps"),
        batches.size,
        counted(batches.last_batch, "image", "images"),
    );
    text
}
