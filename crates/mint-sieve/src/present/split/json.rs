//! `split --format json`. The fields are a contract: see docs/formats.md.

use std::collections::BTreeSet;

use serde::Serialize;
use sieve_core::files::shown_name;
use sieve_core::splitting::{GroupId, LeftOut};

use super::Split;
use crate::present::{ReadingSettings, envelope};

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    parts: Vec<PartShare>,
    seed: u64,
    reach: &'static str,
    link: Option<String>,
}

#[derive(Serialize)]
struct PartShare {
    split: String,
    share: f64,
}

#[derive(Serialize)]
struct Body {
    collection: Collection,
    splits: Vec<Total>,
    classes: Vec<Class>,
    groups: Vec<Group>,
    left_out: Vec<LeftOutFile>,
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
    target: u64,
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
struct Written {
    table: Option<String>,
    tree: Option<String>,
}

/// Everything about a split but its rows, which are in its table.
pub fn json(split: &Split<'_>) -> String {
    let (args, assignment) = (split.args, split.assignment);
    let names = split.request.parts.names();
    let shares = split.request.parts.shares();
    let settings = Settings {
        reading: ReadingSettings::new(split.config),
        parts: names
            .iter()
            .zip(&shares)
            .map(|(name, &share)| PartShare { split: name.clone(), share })
            .collect(),
        seed: split.request.seed,
        reach: split.found.reach.name(),
        link: args.to.as_ref().map(|_| format!("{:?}", args.link).to_lowercase()),
    };
    let totals = names.iter().zip(split.totals()).zip(&assignment.target);
    let class = |class: &sieve_core::splitting::ClassCounts| Class {
        class: class.class.clone(),
        images: class.images,
        groups: class.groups,
        splits: names
            .iter()
            .zip(&class.got)
            .zip(&shares)
            .map(|((name, &images), share)| Got {
                split: name.clone(),
                images,
                requested: share * class.images as f64,
            })
            .collect(),
    };
    let shown = |path: &std::path::PathBuf| shown_name(path.as_os_str());
    let conflicts: BTreeSet<GroupId> = split.conflicts().into_iter().map(|(id, _)| id).collect();
    let body = Body {
        collection: Collection {
            root: split.catalog.collection.name(),
            files: split.catalog.records.len(),
            images: assignment.images.len(),
            left_out: assignment.left_out.len(),
        },
        splits: totals
            .map(|((name, images), &target)| Total { split: name.clone(), images, target })
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
            .map(|(record, why)| LeftOutFile {
                path: record.path.to_string(),
                reason: match why {
                    LeftOut::SetAside => "set-aside",
                    LeftOut::NoClass => "no-class",
                },
            })
            .collect(),
        written: Written { table: args.out.as_ref().map(shown), tree: args.to.as_ref().map(shown) },
    };
    envelope("split", settings, body)
}
