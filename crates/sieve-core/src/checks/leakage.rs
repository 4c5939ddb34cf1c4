//! What makes a score untrue that is measured on a held-out split?

use std::collections::BTreeSet;

use super::copies::about;
use super::{counted, percent};
use crate::collection::made_from;
use crate::duplicates::{DuplicateReport, Kind};
use crate::finding::{Code, Finding};
use crate::independent;
use crate::leakage::{Drift, IndexMismatch, Leakage, MissingClass, Order, Quantity};
use crate::record::Record;
use crate::statistics::strength;

/// Images of one split in another, classes that not all splits have or number alike, and splits
/// that differ more than chance explains.
pub fn leakage(leakage: &Leakage, found: &DuplicateReport<'_>) -> Vec<Finding> {
    let mut findings = alike(leakage, found);
    findings.extend(possible(found));
    findings.extend(declared(found));
    findings.extend(leakage.missing.iter().map(missing));
    findings.extend(leakage.index.iter().map(index));
    findings.extend(leakage.order.iter().filter(|order| order.is_cut).map(order_of_files));
    findings.extend(leakage.drift.iter().filter(|drift| drift.is_found).map(drift));
    findings
}

/// Copies and bursts that span splits, with what to remove.
fn alike(leakage: &Leakage, found: &DuplicateReport<'_>) -> Vec<Finding> {
    let removed: BTreeSet<u32> = leakage.removals.iter().map(|removal| removal.image).collect();
    let spanning = found.groups.iter().filter(|group| group.across_splits);
    let reported = spanning.filter_map(|group| {
        let code = match group.kind {
            Kind::Burst => Code::BurstLeak,
            kind if kind.is_duplicate() => Code::SplitLeak,
            _ => return None,
        };
        let goes = group.members.iter().filter(|member| removed.contains(&member.image));
        let path = |image: u32| found.images[image as usize].record.path.to_string();
        let mut goes: Vec<String> = goes.map(|member| path(member.image)).collect();
        goes.sort_unstable();
        Some(about(found, group, code).evidence("copies_to_remove", goes))
    });
    reported.collect()
}

/// Pairs that span splits and may be copies, and that are in no group of copies which is reported anyway.
fn possible(found: &DuplicateReport<'_>) -> Vec<Finding> {
    let units = independent::IndependentGroups::with_groups(found);
    let reported = found.pairs.iter().filter(|pair| pair.may_be_copies()).filter_map(|pair| {
        let mut records = [pair.a, pair.b].map(|image| found.images[image as usize].record);
        let [first, second] = records.map(Record::split);
        let is_one = units.unit(pair.a as usize) == units.unit(pair.b as usize);
        if first? == second? || is_one {
            return None;
        }
        records.sort_by(|a, b| a.path.cmp(&b.path));
        let [a, b] = records.map(Record::path_in_split);
        let message = format!("{a} ~ {b} ({:.3})", pair.score);
        let splits: Vec<String> =
            records.iter().filter_map(|one| one.split()).map(str::to_owned).collect();
        Some(
            Finding::new(Code::PossibleLeak, message)
                .images(records.iter().map(|record| &record.path))
                .evidence("score", f64::from(pair.score))
                .evidence("splits", splits),
        )
    });
    reported.collect()
}

/// Groups that a table or a name declares, and that span splits.
fn declared(found: &DuplicateReport<'_>) -> Vec<Finding> {
    let reported = independent::declared(found).into_iter().filter_map(|(group, members)| {
        let record = |member: &u32| found.images[*member as usize].record;
        let records: Vec<&Record> = members.iter().map(record).collect();
        let splits: BTreeSet<&str> = records.iter().filter_map(|record| record.split()).collect();
        if splits.len() < 2 {
            return None;
        }
        let splits: Vec<String> = splits.into_iter().map(str::to_owned).collect();
        let source = made_from(group).and_then(|_| {
            records
                .iter()
                .find(|record| record.place.group() != Some(group))
                .map(|record| record.path_in_split())
        });
        let images = counted(records.len() as u64, "image", "images");
        let message = match source {
            Some(source) => {
                let others = counted(records.len() as u64 - 1, "image was", "images were");
                format!(
                    "{others} made from {source} are in different splits: {}",
                    splits.join(", ")
                )
            }
            None => format!("group {group:?}: {images} in {}", splits.join(", ")),
        };
        Some(
            Finding::new(Code::GroupLeak, message)
                .images(records.iter().map(|record| &record.path))
                .evidence("group", group)
                .evidence("images", records.len())
                .evidence("splits", splits),
        )
    });
    reported.collect()
}

fn missing(class: &MissingClass) -> Finding {
    let (present, missing) = (class.present.join(", "), class.missing.join(", "));
    let message = match class.present.len() {
        1 => format!("{:?} is in {present} only", class.class),
        _ => format!("{:?} is not in {missing}", class.class),
    };
    Finding::new(Code::MissingClass, message)
        .about(Some(&class.class), None)
        .evidence("present", class.present.clone())
        .evidence("missing", class.missing.clone())
}

fn index(one: &IndexMismatch) -> Finding {
    let (split, other) = (&one.split, &one.other);
    let example = match (one.moved.first(), one.renumbered.first()) {
        (Some((class, here, there)), _) => {
            format!("{class:?} has index {here} in {split} and {there} in {other}")
        }
        (None, Some((here, there))) => format!("{here:?} in {split} is {there:?} in {other}"),
        (None, None) => String::new(),
    };
    let others = (one.moved.len() + one.renumbered.len()).saturating_sub(1);
    let others = if others > 0 {
        format!("; {others} more {} off", if others == 1 { "is" } else { "are" })
    } else {
        String::new()
    };
    let names = |pairs: &[(String, String)]| {
        pairs.iter().map(|(here, there)| format!("{here} = {there}")).collect::<Vec<_>>()
    };
    Finding::new(Code::ClassIndexMismatch, format!("{example}{others}"))
        .about(None, Some(other))
        .evidence("split", split.as_str())
        .evidence("other_split", other.as_str())
        .evidence("moved", one.moved.iter().map(|(class, ..)| class.clone()).collect::<Vec<_>>())
        .evidence("renumbered", names(&one.renumbered))
}

fn order_of_files(order: &Order) -> Finding {
    let message = format!(
        "sorted by name, images of one split follow each other: {} runs, {:.0} expected after shuffling ({})",
        order.runs,
        order.expected,
        chance(order.p_corrected)
    );
    Finding::new(Code::SplitNotShuffled, message)
        .evidence("runs", order.runs)
        .evidence("expected_runs", order.expected)
        .evidence("p", order.p)
        .evidence("p_corrected", order.p_corrected)
}

fn drift(drift: &Drift) -> Finding {
    let name = drift.quantity.name();
    let most = drift.most.as_ref().map_or_else(
        || {
            let median = |(split, number): &(String, f64)| {
                format!("{} in {split}", quantity(drift.quantity, *number))
            };
            let medians: Vec<String> = drift.medians.iter().map(median).collect();
            format!("median {}", medians.join(", "))
        },
        |most| {
            let (high, low) = (&most.high, &most.low);
            let value = match drift.quantity {
                Quantity::Measure(_) => most.value.clone(),
                _ => format!("{:?}", most.value),
            };
            format!(
                "{value} is {} of {} and {} of {}",
                percent(high.1),
                high.0,
                percent(low.1),
                low.0
            )
        },
    );
    let message = format!(
        "{name}: {most} (effect {:.2}, {}; {})",
        drift.effect,
        strength(drift.effect),
        chance(drift.p_corrected)
    );
    Finding::new(Code::SplitDrift, message)
        .evidence("quantity", name)
        .evidence("statistic", drift.statistic)
        .evidence("degrees", drift.degrees)
        .evidence("p", drift.p)
        .evidence("p_corrected", drift.p_corrected)
        .evidence("effect", drift.effect)
}

/// A median as people read it.
fn quantity(quantity: Quantity, number: f64) -> String {
    use crate::attributes::Measure;
    match quantity {
        Quantity::Measure(Measure::Captured) => crate::reading::time_of_seconds(number),
        _ if number.abs() >= 100.0 => format!("{number:.0}"),
        _ => format!("{number:.3}"),
    }
}

/// A chance as people read it.
fn chance(p: f64) -> String {
    if p < 0.0001 { "p < 0.0001".to_owned() } else { format!("p = {p:.4}") }
}
