//! `split --format json`. The fields are a contract: see docs/formats.md.

use std::collections::BTreeSet;

use serde::Serialize;
use sieve_core::files::shown_name;
use sieve_core::splitting::{Conflicts, GroupId, Per};

use super::Split;
use super::class_table::totals;
use crate::present::{ReadingSettings, envelope};

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    parts: Vec<PartAmount>,
    per: &'static str,
    folds: Option<u64>,
    subset: Option<String>,
    strata: Vec<String>,
    seed: u64,
    copies: &'static str,
    together: Vec<String>,
    conflicts: &'static str,
    reach: &'static str,
    keep: Option<String>,
    lock: Vec<String>,
    link: Option<String>,
}

#[derive(Serialize)]
struct PartAmount {
    split: String,
    amount: String,
}

#[derive(Serialize)]
struct Body {
    collection: Collection,
    splits: Vec<Total>,
    classes: Vec<Class>,
    groups: Vec<Group>,
    left_out: Vec<LeftOutFile>,
    distance: f64,
    violations: Vec<SplitViolation>,
    moved_out: Vec<Moved>,
    written: Written,
}

#[derive(Serialize)]
struct Collection {
    root: String,
    files: usize,
    images: usize,
    left_out: usize,
}

#[derive(Serialize)]
struct Total {
    split: String,
    images: u64,
    requested: f64,
}

#[derive(Serialize)]
struct Class {
    class: String,
    images: u64,
    groups: u64,
    splits: Vec<Got>,
}

#[derive(Serialize)]
struct Got {
    split: String,
    images: u64,
    requested: f64,
}

#[derive(Serialize)]
struct Group {
    group: String,
    split: String,
    label_conflict: bool,
    images: Vec<String>,
}

#[derive(Serialize)]
struct LeftOutFile {
    path: String,
    reason: &'static str,
}

#[derive(Serialize)]
struct SplitViolation {
    images: [String; 2],
    kind: &'static str,
}

#[derive(Serialize)]
struct Moved {
    path: String,
    from: String,
    to: String,
}

#[derive(Serialize)]
struct Written {
    table: Option<String>,
    tree: Option<String>,
}

/// Everything about a split but its rows, which are in its table.
pub fn json(split: &Split<'_>) -> String {
    let (asked, assignment) = (split.asked, split.assignment);
    let names = split.request.parts.names();
    let request = split.request;
    let together = asked.group_by.clone();
    let settings = Settings {
        reading: ReadingSettings::new(split.config),
        parts: names
            .iter()
            .zip(request.parts.amounts())
            .map(|(name, amount)| PartAmount { split: name.clone(), amount: amount.to_string() })
            .collect(),
        per: if request.per == Per::Class { "class" } else { "all" },
        folds: asked.folds,
        subset: asked.subset.map(|amount| amount.to_string()),
        strata: asked.strata.clone(),
        seed: request.seed,
        copies: if request.together.copies { "together" } else { "apart" },
        together,
        conflicts: if request.conflicts == Conflicts::Keep { "keep" } else { "leave-out" },
        reach: split.found.reach.name(),
        keep: asked.keep.as_ref().map(|file| shown_name(file.as_os_str())),
        lock: request.locked.clone(),
        link: asked.to.as_ref().map(|_| format!("{:?}", asked.link).to_lowercase()),
    };
    let totals =
        names.iter().zip(totals(&assignment.classes, names.len())).zip(&assignment.requested);
    let class = |class: &sieve_core::splitting::ClassCounts| Class {
        class: class.class.clone(),
        images: class.images,
        groups: class.groups,
        splits: names
            .iter()
            .zip(&class.got)
            .zip(&class.requested)
            .map(|((name, &images), &requested)| Got { split: name.clone(), images, requested })
            .collect(),
    };
    let shown = |path: &std::path::PathBuf| shown_name(path.as_os_str());
    let conflicts: BTreeSet<GroupId> =
        split.conflicts().into_iter().filter_map(|(id, _)| id).collect();
    let body = Body {
        collection: Collection {
            root: split.catalog.collection.name(),
            files: split.catalog.records.len(),
            images: assignment.images.len(),
            left_out: assignment.left_out.len(),
        },
        splits: totals
            .map(|((name, images), &requested)| Total { split: name.clone(), images, requested })
            .collect(),
        classes: assignment.classes.iter().map(class).collect(),
        groups: split
            .multi_image_groups()
            .iter()
            .map(|group| Group {
                group: group[0].group.to_string(),
                split: names[group[0].part].clone(),
                label_conflict: conflicts.contains(&group[0].group),
                images: group.iter().map(|image| image.record.path.to_string()).collect(),
            })
            .collect(),
        left_out: assignment
            .left_out
            .iter()
            .map(|(record, why)| LeftOutFile { path: record.path.to_string(), reason: why.name() })
            .collect(),
        distance: assignment.distance,
        violations: split
            .violations
            .iter()
            .map(|crossing| SplitViolation {
                images: crossing
                    .images
                    .map(|image| split.found.images[image as usize].record.path.to_string()),
                kind: crossing.kind.map_or("group", |kind| kind.name()),
            })
            .collect(),
        moved_out: split
            .moved_out()
            .into_iter()
            .map(|(image, from, to)| Moved {
                path: image.record.path.to_string(),
                from: from.to_owned(),
                to: to.to_owned(),
            })
            .collect(),
        written: Written {
            table: asked.out.as_ref().map(shown),
            tree: asked.to.as_ref().map(shown),
        },
    };
    envelope("split", settings, body)
}
