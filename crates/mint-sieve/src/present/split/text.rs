//! `split` for people: what each class got against what was asked.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::duplicates::Kind;
use sieve_core::files::shown_name;
use sieve_core::splitting::{Assigned, LeftOut};

use super::Split;
use crate::console::{Align, ERROR, FAINT, Narrow, table};
use crate::console::{heading, safe};
use crate::present::table::{MOST_ROWS, percent, shortened, visible};
use crate::present::{command_on, counted, next_step, splits_folder};

/// The whole answer.
pub fn text(split: &Split<'_>) -> String {
    let name = split.catalog.collection.name();
    let parts = &split.request.parts;
    let requested: Vec<String> = parts
        .names()
        .iter()
        .zip(parts.shares())
        .map(|(name, share)| format!("{name} {}", percent(share)))
        .collect();
    let mut text = format!(
        "{}\n{} in {}: {}; seed {}; reach {}\n\n",
        heading(&safe(&name)),
        counted(split.assignment.images.len() as u64, "image", "images"),
        counted(split.assignment.classes.len() as u64, "class", "classes"),
        safe(&requested.join(", ")),
        split.request.seed,
        split.found.reach.name(),
    );
    text.push_str(&class_table(split));
    text.push('\n');
    for line in remarks(split) {
        let _ = writeln!(text, "{line}");
    }
    text.push_str(&written(split));
    text
}

fn class_table(split: &Split<'_>) -> String {
    let parts = &split.request.parts;
    let shares = parts.shares();
    let mut columns = vec![Align::Left, Align::Right];
    let mut head = vec!["class".to_owned(), "images".to_owned()];
    for name in parts.names() {
        columns.extend([Align::Right, Align::Right]);
        head.extend([name.clone(), "requested".to_owned()]);
    }
    let row = |name: String, images: u64, got: &[u64]| {
        let mut row = vec![name, images.to_string()];
        for (got, share) in got.iter().zip(&shares) {
            row.extend([got.to_string(), format!("{:.1}", share * images as f64)]);
        }
        row
    };
    let mut classes: Vec<_> = split.assignment.classes.iter().collect();
    classes.sort_by_key(|class| std::cmp::Reverse(class.images));
    let classes = classes.iter().map(|class| row(visible(&class.class), class.images, &class.got));
    let mut rows = vec![head];
    rows.extend(shortened(classes.collect(), MOST_ROWS, split.args.all));
    let images = split.assignment.images.len() as u64;
    let totals = split.totals();
    rows.push(row("(all)".into(), images, &totals));
    let mut share_row = vec!["(share)".to_owned(), String::new()];
    for total in totals {
        share_row.extend([percent(total as f64 / images as f64), String::new()]);
    }
    rows.push(share_row);
    let narrow = if split.args.all { Narrow::Keep } else { Narrow::Drop(&["requested"]) };
    table(&columns, narrow, rows)
}

/// What is not as one might expect it, a line each.
fn remarks(split: &Split<'_>) -> Vec<String> {
    let mut lines = Vec::new();
    let set_aside = split.left_out(LeftOut::SetAside);
    if set_aside > 0 {
        let files = counted(set_aside, "file", "files");
        lines.push(format!("Left out: {files} that cannot be trained on (audit lists them)."));
    }
    let no_class = split.left_out(LeftOut::NoClass);
    if no_class > 0 {
        let images = counted(no_class, "image that lies", "images that lie");
        lines.push(format!("Left out: {images} in no class folder."));
    }
    let multi_image_groups = split.multi_image_groups();
    if !multi_image_groups.is_empty() {
        let groups = counted(multi_image_groups.len() as u64, "group", "groups");
        let images = multi_image_groups.iter().map(Vec::len).sum::<usize>();
        lines.push(format!(
            "Kept together: {groups} of {}, {} in all.",
            why_together(split, &multi_image_groups),
            counted(images as u64, "image", "images")
        ));
    }
    let conflicts = split.conflicts();
    let told = if split.args.all { conflicts.len() } else { MOST_CONFLICTS };
    for (_, same) in conflicts.iter().take(told) {
        let paths: Vec<&str> = same.iter().map(|image| image.record.path.as_str()).collect();
        let paths = safe(&paths.join(" = "));
        lines.push(format!("{ERROR}Label conflict:{ERROR:#} {paths}: one image, several classes."));
    }
    if conflicts.len() > told {
        lines.push(format!("... {} more label conflicts (--all)", conflicts.len() - told));
    }
    let missing: Vec<String> = split
        .assignment
        .classes
        .iter()
        .filter(|class| class.got.contains(&0))
        .map(|class| {
            let images = counted(class.images, "image", "images");
            let groups = counted(class.groups, "group", "groups");
            let together =
                if class.groups < class.images { format!(" in {groups}") } else { String::new() };
            format!("{} ({images}{together})", visible(&class.class))
        })
        .collect();
    if !missing.is_empty() {
        let shown = missing.iter().take(5).map(String::as_str).collect::<Vec<_>>().join(", ");
        let more = if missing.len() > 5 {
            format!(" and {} more", missing.len() - 5)
        } else {
            String::new()
        };
        lines.push(format!("Missing from some split: {}{more}.", safe(&shown)));
    }
    if split.totals() != split.assignment.target {
        lines.push(
            "The overall shares are off because small classes and groups were placed first."
                .to_owned(),
        );
    }
    if !lines.is_empty() {
        lines.push(String::new());
    }
    lines
}

/// Label conflicts that are told one by one.
const MOST_CONFLICTS: usize = 5;

/// What the groups of a split are of, in words.
fn why_together(split: &Split<'_>, multi_image_groups: &[Vec<&Assigned<'_>>]) -> String {
    let is_there = |of: fn(Kind) -> bool| split.found.pairs.iter().any(|pair| of(pair.kind));
    let is_burst = |kind| kind == Kind::Burst;
    let has_name = |image: &&Assigned<'_>| image.record.place.group().is_some();
    let why = [
        (is_there(Kind::is_duplicate), "copies"),
        (is_there(is_burst), "frames of one moment"),
        (multi_image_groups.iter().flatten().any(has_name), "images grouped by a table or by name"),
    ];
    let why: Vec<&str> =
        why.into_iter().filter_map(|(is_so, what)| is_so.then_some(what)).collect();
    match why.split_last() {
        Some((last, others)) if !others.is_empty() => format!("{} or {last}", others.join(", ")),
        _ => why.join(""),
    }
}

fn written(split: &Split<'_>) -> String {
    let args = split.args;
    let mut text = String::new();
    if let Some(to) = &args.to {
        let to = shown_name(to.as_os_str());
        let folder = to.trim_end_matches('/');
        let _ = writeln!(text, "Written: {}/ with split.csv", safe(folder));
    }
    if let Some(out) = &args.out {
        let _ = writeln!(text, "Written: {}", safe(&shown_name(out.as_os_str())));
    }
    if let Some(to) = &args.to {
        let mut words: Vec<&OsStr> = vec!["mint-sieve".as_ref(), "leakage".as_ref(), to.as_ref()];
        if args.link == crate::writing::Link::Soft {
            words.push("--follow-links".as_ref());
        }
        return text
            + &format!("\n{}", next_step("check what the splits still have in common:", &words));
    }
    if args.out.is_none() {
        let _ = writeln!(text, "{FAINT}Nothing was written.{FAINT:#}");
    }
    let to = splits_folder(&split.config.roots[0].path);
    let seed = args.seed.to_string();
    let parts: Vec<String> = split
        .request
        .parts
        .names()
        .iter()
        .zip(split.request.parts.shares())
        .map(|(name, share)| format!("{name}={}", (share * 1e8).round() / 1e6))
        .collect();
    let parts = parts.join(",");
    let mut options: Vec<&dyn AsRef<OsStr>> = vec![&"--parts", &parts, &"--seed", &seed];
    let reach = split.found.reach.name();
    if args.reach.is_some() {
        options.extend([&"--reach" as &dyn AsRef<OsStr>, &reach]);
    }
    options.extend([&"--to" as &dyn AsRef<OsStr>, &to]);
    let words = command_on(split.config, "split", &options);
    text + &format!("\n{}", next_step("write the folders:", &words))
}
