//! `split` for people: what each class got against what was asked.

use std::ffi::{OsStr, OsString};
use std::fmt::Write;
use std::path::Path;

use sieve_core::duplicates::Kind;
use sieve_core::files::shown_name;
use sieve_core::objects::is_bucket;
use sieve_core::splitting::{Amount, Assigned, ClassCounts, Conflicts, LeftOut, Per};

use super::Split;
use crate::console::{ERROR, FAINT, Narrow, WARNING};
use crate::console::{heading, safe};
use crate::present::cells::{percent, visible};
use crate::present::skipped;
use crate::present::{access_words, command_on, counted, next_step, splits_folder};

/// The whole answer.
pub fn text(split: &Split<'_>) -> String {
    let name = split.catalog.collection.name();
    let parts = &split.request.parts;
    let requested: Vec<String> = parts
        .names()
        .iter()
        .zip(parts.amounts())
        .map(|(name, amount)| match amount {
            Amount::Share(share) => format!("{name} {}", percent(*share as f64 / 1e6)),
            Amount::Images(images) => match split.request.per {
                Per::All => format!("{name} {images}"),
                Per::Class => format!("{name} {images} of each class"),
            },
            Amount::Rest => format!("{name} the rest"),
            Amount::Kept => format!("{name} unchanged"),
        })
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
    let narrow = if split.asked.all { Narrow::Keep } else { Narrow::Drop(&["requested"]) };
    text.push_str(&split.class_table(split.asked.all).text(narrow));
    text.push('\n');
    for line in remarks(split) {
        let _ = writeln!(text, "{line}");
    }
    text.push_str(&written(split));
    text
}

/// What is not as one might expect it, a line each.
fn remarks(split: &Split<'_>) -> Vec<String> {
    let mut lines = Vec::new();
    let set_aside = split.left_out(LeftOut::SetAside);
    if set_aside > 0 {
        let files = counted(set_aside, "file", "files");
        lines.push(format!(
            "Left out: {files} that cannot be used for training (audit lists them)."
        ));
    }
    let mut left = |why: LeftOut, one: &str, many: &str, how: &str| {
        let number = split.left_out(why);
        if number > 0 {
            lines.push(format!("Left out: {} {how}.", counted(number, one, many)));
        }
    };
    left(LeftOut::NoClass, "image", "images", "in no class folder");
    let keep = "under several classes (--conflicts keep includes them, in one split)";
    left(LeftOut::LabelConflict, "image", "images", keep);
    left(LeftOut::NotInSubset, "image", "images", "not in the random subset");
    let locked = "grouped with images of a locked split";
    left(LeftOut::Locked, "image", "images", locked);
    let between = "new, but grouped with images of several earlier splits";
    left(LeftOut::SpansSplits, "image", "images", between);
    let skipped = skipped::text(split.catalog, split.skipped, split.asked.all);
    lines.extend(skipped.lines().map(str::to_owned));
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
    let reported = if split.asked.all { conflicts.len() } else { MOST_CONFLICTS };
    for (_, paths) in conflicts.iter().take(reported) {
        let paths = safe(&paths.join(" = "));
        lines.push(format!("{ERROR}Label conflict:{ERROR:#} {paths}: one image, several classes."));
    }
    if conflicts.len() > reported {
        lines.push(format!("... {} more label conflicts (--all)", conflicts.len() - reported));
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
    lines.extend(split.worst().and_then(|(class, part)| furthest(split, class, part)));
    let moved = split.moved_out();
    if !moved.is_empty() {
        let images = counted(moved.len() as u64, "image", "images");
        let one = |(image, before, after): &(&Assigned<'_>, &str, &str)| {
            format!("{} ({before} to {after})", image.record.path)
        };
        let reported = if split.asked.all { moved.len() } else { MOST_CONFLICTS };
        let named: Vec<String> = moved.iter().take(reported).map(one).collect();
        let more = match moved.len() - named.len() {
            0 => String::new(),
            more => format!(" and {more} more (--all)"),
        };
        lines.push(format!(
            "{WARNING}Moved out of held-out splits:{WARNING:#} {images}: {}{more}. Earlier scores are not comparable.",
            safe(&named.join(", "))
        ));
    }
    lines.extend(proof(split));
    lines.extend(unnatural_order(split));
    if !lines.is_empty() {
        lines.push(String::new());
    }
    lines
}

/// Which cell is furthest from what was asked for, and why nothing nearer was to be had; none where all are within
/// rounding.
fn furthest(split: &Split<'_>, class: &ClassCounts, part: usize) -> Option<String> {
    let (got, requested) = (class.got[part], class.requested[part]);
    if (got as f64 - requested).abs() < 1.0 {
        return None;
    }
    let name = visible(&class.class);
    let why = if split.request.earlier.is_some() {
        "earlier images stay where they were".to_owned()
    } else if class.largest_group > 1 {
        let images = counted(class.images, "image", "images");
        let groups = counted(class.groups, "group", "groups");
        format!("its {images} are in {groups}, the largest of {}", class.largest_group)
    } else {
        "every class is placed in every split before shares are balanced".to_owned()
    };
    let part = &split.request.parts.names()[part];
    Some(safe(&format!(
        "Largest deviation: {name} has {got} images in {part} ({requested:.1} requested); {why}."
    )))
}

/// What checking the result as `leakage` would has given.
fn proof(split: &Split<'_>) -> Option<String> {
    if split.violations.is_empty() {
        let what = "Checked: no duplicate, burst or group spans two splits";
        return Some(format!("{what} (reach {}).", split.found.reach.name()));
    }
    let pairs = counted(split.violations.len() as u64, "pair", "pairs");
    let first = &split.violations[0];
    let paths = first.images.map(|image| split.found.images[image as usize].record.path.as_str());
    let example = safe(&paths.join(" and "));
    Some(format!(
        "{ERROR}Leaks:{ERROR:#} {pairs} that belong together span two splits, for example {example}."
    ))
}

/// A warning where people would number the classes otherwise.
fn unnatural_order(split: &Split<'_>) -> Option<String> {
    let names: Vec<&str> =
        split.assignment.classes.iter().map(|class| class.class.as_str()).collect();
    let digits = |name: &str| -> Option<(String, u64)> {
        let at = name.find(|c: char| c.is_ascii_digit())?;
        let number: String = name[at..].chars().take_while(char::is_ascii_digit).collect();
        Some((name[..at].to_owned(), number.parse().ok()?))
    };
    let is_odd = |two: &&[&str]| match (digits(two[0]), digits(two[1])) {
        (Some(a), Some(b)) => a.0 == b.0 && a.1 > b.1,
        _ => false,
    };
    let odd = names.windows(2).find(is_odd)?;
    let (first, second) = (safe(odd[0]), safe(odd[1]));
    Some(format!(
        "Class indices follow the byte order of the names: {first} comes before {second}."
    ))
}

/// Label conflicts that are reported one by one.
const MOST_CONFLICTS: usize = 5;

/// What the groups of a split are of, in words.
fn why_together(split: &Split<'_>, multi_image_groups: &[Vec<&Assigned<'_>>]) -> String {
    let is_there = |of: fn(Kind) -> bool| split.found.pairs.iter().any(|pair| of(pair.kind));
    let is_burst = |kind| kind == Kind::Burst;
    let has_name = |image: &&Assigned<'_>| image.record.place.group().is_some();
    let why = [
        (is_there(Kind::is_duplicate), "copies"),
        (is_there(is_burst), "burst frames"),
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
    let asked = split.asked;
    let mut text = String::new();
    if let Some(to) = &asked.to {
        let to = shown_name(to.as_os_str());
        let folder = to.trim_end_matches('/');
        let lists = if asked.folds.is_some() { ", a list for each fold" } else { "" };
        let _ = writeln!(text, "Written: {}/ with split.csv, class-index.csv{lists}", safe(folder));
    }
    if let Some(out) = &asked.out {
        let _ = writeln!(text, "Written: {}", safe(&shown_name(out.as_os_str())));
    }
    if let Some(to) = &asked.to {
        let mut words: Vec<OsString> = vec!["mint-sieve".into(), "leakage".into(), to.into()];
        if asked.link == crate::writing::Link::Soft {
            words.push("--follow-links".into());
        }
        if is_bucket(to) {
            words.extend(access_words(&split.config.access));
        }
        return text + &format!("\n{}", next_step("check the splits for leakage:", &words));
    }
    if asked.out.is_none() {
        let _ = writeln!(text, "{FAINT}Nothing was written.{FAINT:#}");
    }
    let to = splits_folder(&split.config.roots[0].path);
    let seed = asked.seed.to_string();
    let words = again(split, &to, &seed);
    let options: Vec<&dyn AsRef<OsStr>> = words.iter().map(|word| word as _).collect();
    let words = command_on(split.config, "split", &options);
    text + &format!("\n{}", next_step("write the folders:", &words))
}

/// The options that make the same split again, and write it.
fn again(split: &Split<'_>, to: &Path, seed: &str) -> Vec<OsString> {
    let asked = split.asked;
    let mut words: Vec<OsString> = Vec::new();
    let mut put = |option: &str, value: &dyn AsRef<OsStr>| {
        words.extend([option.into(), value.as_ref().to_owned()]);
    };
    match (asked.folds, &asked.parts) {
        (Some(folds), _) => put("--folds", &folds.to_string()),
        (None, Some(typed)) => put("--parts", typed),
        (None, None) => put("--parts", &split.request.parts.to_string()),
    }
    if let Some(from) = &asked.from {
        put("--from", from);
    }
    if split.request.per == Per::Class {
        put("--count-per", &"class");
    }
    if let Some(subset) = asked.subset {
        put("--subset", &subset.to_string());
    }
    if !asked.strata.is_empty() {
        put("--strata", &asked.strata.join(","));
    }
    put("--seed", &seed);
    if !split.request.together.copies {
        put("--copies", &"apart");
    }
    asked.group_by.iter().for_each(|by| put("--group-by", by));
    if split.request.conflicts == Conflicts::Keep {
        put("--conflicts", &"keep");
    }
    if asked.has_reach {
        put("--reach", &split.found.reach.name());
    }
    if let Some(keep) = &asked.keep {
        put("--keep", keep);
    }
    if !asked.lock.is_empty() {
        put("--lock", &asked.lock.join(","));
    }
    put("--to", &to);
    for (is_set, flag) in [(asked.is_resplit, "--resplit"), (asked.is_forced, "--force")] {
        words.extend(is_set.then(|| flag.into()));
    }
    words
}
