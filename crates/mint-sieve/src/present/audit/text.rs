//! `audit` for people: what is here, what is wrong, what to do next.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::audit::Audit;
use sieve_core::collection::Collection;
use sieve_core::duplicates::Reach;
use sieve_core::finding::{Code, Severity};
use sieve_core::inventory::Inventory;
use sieve_core::leakage::SplitPairSummary;

use super::Audited;
use crate::config::CollectionConfig;
use crate::console::{Align, FAINT, Narrow};
use crate::console::{heading, safe};
use crate::present::cells::{FEW_ROWS, bar, percent, shortened, visible};
use crate::present::leakage::split_pairs;
use crate::present::remark;
use crate::present::table::Table;
use crate::present::{
    command_on, counted, findings, how_alike, independent_images, next_step, sheet_file,
    small_images, splits_folder,
};

/// Columns of the bar of the largest class.
const BAR_WIDTH: u64 = 24;

/// The whole answer.
pub fn text(answer: &Audited<'_>) -> String {
    let &Audited { all, catalog, audit, .. } = answer;
    let mut text = what_is_here(answer.config, &catalog.collection, &audit.inventory);
    text.push_str(&copies(answer));
    text.push_str(&class_table(&audit.inventory, all));
    text.push_str(&makeup(&audit.inventory));
    let also = |code| match code {
        Code::SplitLeak => split_pairs(&audit.leakage, "a copy", |summary| summary.copies),
        Code::BurstLeak => {
            split_pairs(&audit.leakage, "a frame of the same burst", SplitPairSummary::bursts)
        }
        _ => Vec::new(),
    };
    text.push_str(&findings::list(&audit.findings, all, also));
    let settings = &answer.config.settings;
    text.push_str(&findings::suppressed(answer.suppressed, settings.file.as_deref()));
    text.push('\n');
    text.push_str(&next(answer.config, audit));
    text
}

/// How many independent images there are, and how far copies were looked for.
fn copies(answer: &Audited<'_>) -> String {
    let independent = answer.audit.balance.independent;
    if answer.audit.inventory.images == 0 {
        return String::new();
    }
    let reach = answer.found.reach;
    let farther = if reach < Reach::Wide { " (--reach wide finds more)" } else { "" };
    format!(
        "{}; reach {}{farther}\n{}{}\n",
        independent_images(independent),
        reach.name(),
        small_images(answer.found),
        how_alike(answer.found),
    )
}

fn what_is_here(
    config: &CollectionConfig,
    collection: &Collection,
    inventory: &Inventory,
) -> String {
    let size = humansize::format_size(inventory.bytes, humansize::DECIMAL);
    let classes = counted(inventory.classes.len() as u64, "class", "classes");
    let mut text = format!("{}\n", heading(&safe(&collection.name())));
    let _ = writeln!(
        text,
        "{} = {} in {classes} + {} set aside; {size}",
        counted(inventory.files, "file", "files"),
        counted(inventory.images, "image", "images"),
        inventory.set_aside,
    );
    let _ = writeln!(text, "{FAINT}read as {}{FAINT:#}", safe(&collection.layout));
    for remark in &collection.remarks {
        let _ = writeln!(text, "{}", remark::line(remark, config, "audit"));
    }
    if inventory.nested > 0 {
        let images = counted(inventory.nested, "image is", "images are");
        let _ = writeln!(
            text,
            "{FAINT}{images} nested below their class folder, counted in that class{FAINT:#}"
        );
    }
    text
}

fn class_table(inventory: &Inventory, all: bool) -> String {
    if inventory.counts.is_empty() {
        return String::new();
    }
    let mut classes: Vec<(&str, u64)> =
        inventory.classes.iter().map(|class| (class.as_str(), inventory.of_class(class))).collect();
    classes.sort_by_key(|&(_, images)| std::cmp::Reverse(images));
    let most = classes.first().map_or(0, |&(_, images)| images);
    let classed = classes.iter().map(|&(_, images)| images).sum::<u64>().max(1);
    let splits = &inventory.splits;

    let mut columns = vec![Align::Left];
    columns.extend(splits.iter().map(|_| Align::Right));
    columns.extend([Align::Right, Align::Right, Align::Left]);
    let mut head = vec!["class".to_owned()];
    head.extend(splits.iter().cloned());
    head.extend(["images".to_owned(), "share".to_owned()]);
    let mut rows = vec![head];
    let class_row = |&(class, images): &(&str, u64)| {
        let mut row = vec![visible(class)];
        for split in splits {
            row.push(inventory.count(split, class).map_or("-".to_owned(), |here| here.to_string()));
        }
        row.push(images.to_string());
        row.push(percent(images as f64 / classed as f64));
        row.push(bar(images, most, BAR_WIDTH));
        row
    };
    rows.extend(shortened(classes.iter().map(class_row).collect(), FEW_ROWS, all));
    if inventory.unclassed() > 0 {
        let mut row = vec!["(in no class)".to_owned()];
        for split in splits {
            let here = inventory
                .counts
                .iter()
                .find(|count| count.split.as_ref() == Some(split) && count.class.is_none());
            row.push(here.map_or("-".to_owned(), |count| count.images.to_string()));
        }
        row.push(inventory.unclassed().to_string());
        rows.push(row);
    }
    if !splits.is_empty() {
        let mut row = vec!["(all)".to_owned()];
        row.extend(splits.iter().map(|split| inventory.of_split(split).to_string()));
        row.push(inventory.images.to_string());
        rows.push(row);
    }
    let narrow = if all { Narrow::Keep } else { Narrow::Drop(&["", "share"]) };
    Table::new(&columns, rows).text(narrow)
}

fn makeup(inventory: &Inventory) -> String {
    if inventory.images == 0 {
        return String::new();
    }
    let mut rows = Vec::new();
    let mut row = |name: &str, parts: Vec<String>| {
        rows.push(vec![name.to_owned(), parts.join(", ")]);
    };
    row("sizes", sizes(inventory));
    let formats = inventory.formats.iter();
    row("formats", formats.map(|(format, images)| format!("{} {images}", format.name())).collect());
    let colours = inventory.colours.iter();
    row(
        "colours",
        colours
            .map(|((mode, bits), images)| format!("{} {bits}-bit {images}", mode.name()))
            .collect(),
    );
    if !inventory.profiles.is_empty() {
        let mut shown: Vec<String> = inventory.profiles[..inventory.profiles.len().min(4)]
            .iter()
            .map(|(profile, images)| format!("{} {images}", safe(profile)))
            .collect();
        if inventory.profiles.len() > 4 {
            shown.push(format!("{} more", inventory.profiles.len() - 4));
        }
        row("profiles", shown);
    }
    let mut also = Vec::new();
    if inventory.animated > 0 {
        also.push(format!("{} animated or multi-page", inventory.animated));
    }
    if inventory.turned > 0 {
        also.push(format!(
            "{} on an EXIF orientation tag",
            counted(inventory.turned, "image relies", "images rely")
        ));
    }
    if !also.is_empty() {
        row("also", also);
    }
    format!("\n{}", Table::new(&[Align::Left, Align::Left], rows).text(Narrow::Keep))
}

fn sizes(inventory: &Inventory) -> Vec<String> {
    let one = |&((width, height), images): &((u32, u32), u64)| format!("{width}x{height} {images}");
    if inventory.sizes.len() <= 6 {
        return inventory.sizes.iter().map(one).collect();
    }
    let area = |&&((width, height), _): &&((u32, u32), u64)| u64::from(width) * u64::from(height);
    let of = |size: Option<&((u32, u32), u64)>| {
        size.map_or(String::new(), |((width, height), _)| format!("{width}x{height}"))
    };
    let smallest = of(inventory.sizes.iter().min_by_key(area));
    let largest = of(inventory.sizes.iter().max_by_key(area));
    let mut parts = vec![format!(
        "{} different, from {smallest} to {largest}; most common {}",
        inventory.sizes.len(),
        one(&inventory.sizes[0]),
    )];
    parts.extend(inventory.sizes[1..3].iter().map(one));
    parts
}

fn next(config: &CollectionConfig, audit: &Audit) -> String {
    let inventory = &audit.inventory;
    let folder = &config.roots[0].path;
    let command = |name: &str, options: &[&dyn AsRef<OsStr>]| command_on(config, name, options);
    if inventory.images == 0 {
        return next_step(
            "no readable images found; list how each file was classified:",
            &command("audit", &[&"--all", &"--verbose"]),
        );
    }
    let first = match audit.count(Severity::Error) {
        0 => "",
        1 => "fix the error above, then ",
        _ => "fix the errors above, then ",
    };
    if inventory.splits.is_empty() {
        let to = splits_folder(folder);
        return next_step(&format!("{first}build the splits:"), &command("split", &[&"--to", &to]));
    }
    let leaks = [Code::SplitLeak, Code::BurstLeak, Code::GroupLeak, Code::SplitDrift];
    if audit.findings.iter().any(|finding| leaks.contains(&finding.code)) {
        return next_step(
            "list the leaks between the splits and what to remove:",
            &command("leakage", &[]),
        );
    }
    next_step(
        &format!("{first}preview an augmentation policy on the training images:"),
        &command("preview", &[&"--policy", &"gentle", &"--out", &sheet_file(folder)]),
    )
}
