//! The sheet of `duplicates`: a row a group.

use sieve_core::duplicates::Group;

use super::{Concern, Duplicates, lie_on_each_other};
use crate::present::counted;
use crate::present::sheet::{COLUMNS, Labelled, Role, TileRow, first_page};

/// The line at the top.
pub fn title(answer: &Duplicates<'_>) -> String {
    let groups = counted(answer.found.groups.len() as u64, "group", "groups");
    let shown = shown(answer);
    let part = if shown < answer.found.groups.len() {
        format!(", the first {shown} (--all shows all)")
    } else {
        String::new()
    };
    format!("{}: {groups}{part}", answer.collections[0].catalog.collection.name())
}

fn shown(answer: &Duplicates<'_>) -> usize {
    if answer.all {
        answer.found.groups.len()
    } else {
        first_page(answer.found.groups.iter().map(|group| group.members.len().min(COLUMNS)))
    }
}

/// The groups as rows, whose images are still to be read. Without `--all` some of each concern.
pub fn rows(answer: &Duplicates<'_>) -> Vec<TileRow> {
    let numbered = answer.found.groups.iter().enumerate();
    numbered.take(shown(answer)).map(|(index, group)| row(answer, index + 1, group)).collect()
}

fn row(answer: &Duplicates<'_>, number: usize, group: &Group) -> TileRow {
    let most = if answer.all { usize::MAX } else { COLUMNS };
    let concern = match Concern::new(group, answer.collections.len() == 1) {
        Concern::Conflict => ", under several classes",
        Concern::Leak => ", in several splits",
        _ => "",
    };
    let more = group.members.len().saturating_sub(most);
    let more = if more > 0 { format!(", {more} more (--all)") } else { String::new() };
    let size = counted(group.members.len() as u64, "image", "images");
    TileRow {
        head: format!("{number}  {}: {size}{concern}{more}", group.kind.name()),
        tiles: group
            .members
            .iter()
            .take(most)
            .map(|member| {
                let image = answer.image(member.image);
                let (record, facts) = (image.record, &image.measured.facts);
                let how = match (member.kind, member.score) {
                    (Some(kind), Some(score)) => format!("{} {score:.3}", kind.name()),
                    _ => String::new(),
                };
                let places = [record.split(), record.class()].into_iter().flatten();
                let place = places.collect::<Vec<_>>().join(" / ");
                let is_kept = group.kind.is_duplicate() && member.keep;
                let keep = if is_kept { "keep" } else { "" };
                let size = format!("{}x{}", facts.width_px, facts.height_px);
                let words = [keep, &how, &size].into_iter().filter(|word| !word.is_empty());
                Labelled {
                    record: Some((image.collection, image.index)),
                    pixels: None,
                    lines: [
                        record.path.file_name().to_owned(),
                        place,
                        words.collect::<Vec<_>>().join(", "),
                    ],
                    is_marked: is_kept,
                    role: match member.kind {
                        None => Role::Reference,
                        Some(kind) if lie_on_each_other(kind) => Role::Compared,
                        Some(_) => Role::Alone,
                    },
                    places: Vec::new(),
                }
            })
            .collect(),
    }
}
