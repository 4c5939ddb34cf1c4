//! `leakage` for people.

use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::balance::ASSUMED_ACCURACY;
use sieve_core::leakage::{Leakage, SplitPairSummary};
use sieve_core::statistics::strength;

use super::Leaks;
use super::tables::{pair_table, split_table};
use crate::console::{Align, FAINT, Narrow};
use crate::console::{heading, safe};
use crate::present::cells::{FEW_ROWS, listed, percent};
use crate::present::remark;
use crate::present::table::Table;
use crate::present::{command_on, counted, findings, next_step, small_images};

/// The whole answer.
pub fn text(answer: &Leaks<'_>) -> String {
    let &Leaks { all, catalog, leakage, .. } = answer;
    let mut text = format!("{}\n", heading(&safe(&catalog.collection.name())));
    let splits: Vec<String> =
        leakage.splits.iter().map(|(split, images)| format!("{split} {images}")).collect();
    let _ = writeln!(
        text,
        "{}: {} (reach {})",
        counted(answer.found.images.len() as u64, "image", "images"),
        safe(&splits.join(", ")),
        answer.found.reach.name()
    );
    text.push_str(&small_images(answer.found));
    for remark in &catalog.collection.remarks {
        let _ = writeln!(text, "{}", remark::line(remark, answer.config, "leakage"));
    }
    text.push_str(&cross_split_pairs(leakage, all));
    text.push_str(&bounds(leakage));
    text.push_str(&pairs(answer));
    text.push_str(&drift(leakage, all));
    text.push_str(&findings::list(answer.findings, all, |_| Vec::new()));
    let settings = &answer.config.settings;
    text.push_str(&findings::suppressed(answer.suppressed, settings.file.as_deref()));
    text.push('\n');
    text.push_str(&repair(answer));
    text
}

/// Sentences for the pairs of splits of which `counted` says that something of the judge is in the
/// other: `17 of 120 test images (14.2%) ...`.
pub fn split_pairs(
    leakage: &Leakage,
    what: &str,
    number: impl Fn(&SplitPairSummary) -> u64,
) -> Vec<String> {
    let judged =
        leakage.split_pairs.iter().filter(|summary| summary.is_judge && number(summary) > 0);
    let reported = judged.map(|summary| {
        format!(
            "{} of {} {} images ({}) {} {what} in {}",
            number(summary),
            summary.images,
            summary.split,
            percent(number(summary) as f64 / summary.images as f64),
            if number(summary) == 1 { "has" } else { "have" },
            summary.within
        )
    });
    reported.collect()
}

fn cross_split_pairs(leakage: &Leakage, all: bool) -> String {
    if leakage.split_pairs.is_empty() {
        return format!("\n{}\n", heading("No leakage: no image appears in more than one split."));
    }
    let narrow = if all { Narrow::Keep } else { Narrow::Drop(&["by class", "how"]) };
    split_table(leakage, all).section(narrow)
}

/// By how much the leaked images can raise a score, in words.
fn bounds(leakage: &Leakage) -> String {
    let mut text = String::new();
    for summary in leakage.split_pairs.iter().filter(|summary| summary.is_judge) {
        let (split, within) = (safe(&summary.split), safe(&summary.within));
        let _ = writeln!(
            text,
            "A model that merely memorised {within} would get {} of {} {split} images right: a score can be inflated by up to {:.1} points",
            summary.matched,
            summary.images,
            summary.bound() * 100.0,
        );
        let _ = match summary.least_true(ASSUMED_ACCURACY) {
            Some(least) => writeln!(
                text,
                "too high; where {:.0}% is measured, it may be {} on the others.",
                ASSUMED_ACCURACY * 100.0,
                percent(least),
            ),
            None => writeln!(text, "too high, and says nothing about any other image."),
        };
    }
    text
}

/// The pairs themselves.
fn pairs(answer: &Leaks<'_>) -> String {
    if answer.leakage.cross_split_pairs.is_empty() {
        return String::new();
    }
    let narrow = if answer.all { Narrow::Keep } else { Narrow::Drop(&["score", "kind"]) };
    let most = if answer.all { usize::MAX } else { FEW_ROWS };
    format!("\n{}", pair_table(answer.leakage, answer.found, most).text(narrow))
}

/// Tests that are shown without `--all`: those that found something, and a few more.
const MOST_TESTS: usize = 4;

/// How the splits differ.
fn drift(leakage: &Leakage, all: bool) -> String {
    if leakage.drift.is_empty() && leakage.order.is_none() {
        return String::new();
    }
    let mut rows = vec![["", "effect", "", "p", "total variation"].map(str::to_owned).to_vec()];
    let chance = |p: f64| if p < 0.0001 { "< 0.0001".to_owned() } else { format!("{p:.4}") };
    let found = leakage.drift.iter().filter(|drift| drift.is_found).count();
    let count = leakage.drift.len();
    let shown = if all { count } else { listed(count, found.max(MOST_TESTS)) };
    for drift in leakage.drift.iter().take(shown) {
        let widest = drift.pairs.iter().map(|pair| pair.total_variation).fold(0.0, f64::max);
        rows.push(vec![
            drift.quantity.name().to_owned(),
            format!("{:.2}", drift.effect),
            if drift.is_chance { "not significant" } else { strength(drift.effect) }.to_owned(),
            chance(drift.p_corrected),
            if drift.pairs.is_empty() { "-".to_owned() } else { format!("{widest:.3}") },
        ]);
    }
    let columns = [Align::Left, Align::Right, Align::Left, Align::Right, Align::Right];
    let mut text = format!(
        "\n{}\n{}",
        heading("Drift between splits"),
        Table::new(&columns, rows).text(Narrow::Keep)
    );
    if leakage.drift.len() > shown {
        let _ = writeln!(text, "  ... {} more (--all)", leakage.drift.len() - shown);
    }
    if let Some(order) = &leakage.order {
        let verdict = if order.is_cut { "not shuffled" } else { "the splits look shuffled" };
        let _ = writeln!(
            text,
            "In path order the split changes {} times ({:.0} expected after shuffling): {verdict}.",
            order.runs, order.expected
        );
    }
    let _ = writeln!(
        text,
        "{FAINT}p: probability of a difference this large between shuffled splits, corrected for multiple tests (Holm).{FAINT:#}"
    );
    text
}

/// What to remove, and how to get the list.
fn repair(answer: &Leaks<'_>) -> String {
    let leakage = answer.leakage;
    let command =
        |name: &str, options: &[&dyn AsRef<OsStr>]| command_on(answer.config, name, options);
    let mut text = String::new();
    if !leakage.removals.is_empty() {
        let mut by_split: BTreeMap<&str, u64> = BTreeMap::new();
        for removal in &leakage.removals {
            let split = answer.record(removal.image).split().unwrap_or_default();
            *by_split.entry(split).or_default() += 1;
        }
        let from = by_split.into_iter().map(|(split, images)| format!("{images} from {split}"));
        let from = safe(&from.collect::<Vec<_>>().join(", "));
        let rest = if leakage.kept > 0 { "no other match" } else { "no match" };
        let title = heading("Repair:");
        let _ = writeln!(text, "{title} removing {from} would leave {rest} between the splits.");
    }
    if leakage.kept > 0 {
        let pairs = counted(leakage.kept as u64, "pair", "pairs");
        let _ = writeln!(
            text,
            "{pairs} between the protected splits would remain; remove --protect to resolve them."
        );
    }
    if !text.is_empty() {
        text.push('\n');
    }
    let protect = answer.protect.join(",");
    text + &if leakage.removals.is_empty() {
        let why = "preview an augmentation policy on the training images:";
        let options: [&dyn AsRef<OsStr>; 4] = [&"--policy", &"gentle", &"--out", &"preview.png"];
        next_step(why, &command("preview", &options))
    } else if !answer.has_removals {
        let mut options: Vec<&dyn AsRef<OsStr>> = Vec::new();
        if !protect.is_empty() {
            options.extend([&"--protect" as &dyn AsRef<OsStr>, &protect]);
        }
        options.extend([&"--removals" as &dyn AsRef<OsStr>, &"remove.csv"]);
        next_step("write the list of images to remove:", &command("leakage", &options))
    } else {
        let why = "review the images before removing any:";
        next_step(why, &command("duplicates", &[&"--sheet", &"duplicates.png"]))
    }
}
