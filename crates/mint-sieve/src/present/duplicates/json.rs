//! `duplicates --format json`. The fields are a contract: see docs/formats.md.

use serde::Serialize;

use super::{Duplicates, reason};
use crate::present::{ReadingSettings, envelope};

#[derive(Serialize)]
struct Settings {
    #[serde(flatten)]
    reading: ReadingSettings,
    against: Option<String>,
    within: &'static str,
    kinds: Vec<&'static str>,
    reach: &'static str,
}

#[derive(Serialize)]
struct Body<'a> {
    collection: Collection,
    groups: Vec<Group<'a>>,
    summary: Vec<Count>,
}

#[derive(Serialize)]
struct Collection {
    root: String,
    images: usize,
    /// Of which only bytes and pixels were compared.
    small_images: u64,
    /// How alike different images get; none where only bytes and pixels were compared.
    similarity_threshold: Option<SimilarityThreshold>,
}

#[derive(Serialize)]
struct SimilarityThreshold {
    /// The correlation that less than one pair of different images is expected to reach.
    correlation: f32,
    /// Whether the collection told it; else it has too few images, and what other collections have stands in.
    estimated: bool,
}

#[derive(Serialize)]
struct Group<'a> {
    id: usize,
    kind: &'static str,
    score: f32,
    label_conflict: bool,
    across_splits: bool,
    /// Only copies have one to keep.
    keep_reason: Option<&'static str>,
    images: Vec<Image<'a>>,
}

#[derive(Serialize)]
struct Image<'a> {
    path: &'a str,
    /// 0 for COLLECTION, 1 for the one after `--against`.
    #[serde(skip_serializing_if = "Option::is_none")]
    collection: Option<usize>,
    class: Option<&'a str>,
    split: Option<&'a str>,
    width_px: u32,
    height_px: u32,
    size_bytes: u64,
    keep: bool,
    kind: Option<&'static str>,
    score: Option<f32>,
}

/// Pairs and groups of one kind.
#[derive(Serialize)]
struct Count {
    kind: &'static str,
    pairs: usize,
    groups: usize,
}

/// The whole answer.
pub fn json(answer: &Duplicates<'_>) -> String {
    let &Duplicates { against, within, kinds, collections, found, .. } = answer;
    let settings = Settings {
        reading: ReadingSettings::new(answer.config),
        against: against.map(ToString::to_string),
        within,
        kinds: kinds.iter().map(|kind| kind.name()).collect(),
        reach: found.reach.name(),
    };
    let path = |number: u32| answer.image(number).record.path.as_str();
    let groups = found.groups.iter().enumerate().map(|(index, group)| Group {
        id: index + 1,
        kind: group.kind.name(),
        score: group.score,
        label_conflict: group.label_conflict,
        across_splits: group.across_splits,
        keep_reason: reason(group),
        images: group
            .members
            .iter()
            .map(|member| {
                let image = answer.image(member.image);
                Image {
                    path: path(member.image),
                    collection: (collections.len() > 1).then_some(image.collection),
                    class: image.record.class(),
                    split: image.record.split(),
                    width_px: image.measured.facts.width_px,
                    height_px: image.measured.facts.height_px,
                    size_bytes: image.record.size_bytes,
                    keep: member.keep,
                    kind: member.kind.map(sieve_core::duplicates::Kind::name),
                    score: member.score,
                }
            })
            .collect(),
    });
    let summary = sieve_core::duplicates::Kind::ALL.into_iter().map(|kind| Count {
        kind: kind.name(),
        pairs: found.pairs.iter().filter(|pair| pair.kind == kind).count(),
        groups: found.groups.iter().filter(|group| group.kind == kind).count(),
    });
    let body = Body {
        collection: Collection {
            root: collections[0].catalog.collection.name(),
            images: found.images.len(),
            small_images: found.small,
            similarity_threshold: found.level.map(|level| SimilarityThreshold {
                correlation: level.correlation,
                estimated: level.is_estimated,
            }),
        },
        groups: groups.collect(),
        summary: summary.collect(),
    };
    envelope("duplicates", settings, body)
}
