//! `duplicates` for people.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::collection::Root;
use sieve_core::duplicates::{Group, Kind, Member, Reach};

use super::{Concern, Duplicates, kept_because};
use crate::console::{Align, ERROR, FAINT, HEADING, Narrow, WARNING};
use crate::console::{heading, safe};
use crate::present::table::Table;

use crate::present::cells::listed;
use crate::present::{command_on, counted, how_alike, next_step, small_images};

/// Groups of each concern that are shown without `--all`.
const MOST_GROUPS: usize = 4;
/// Images of each group that are shown without `--all`.
const MOST_PICTURES: usize = 6;
/// Images of each series that are shown without `--all`.
const MOST_OF_SERIES: usize = 2;

/// The whole answer.
pub fn text(answer: &Duplicates<'_>) -> String {
    let mut text = what_was_done(answer);
    for concern in Concern::ALL {
        let groups = answer.found.groups.iter().enumerate();
        let of_it: Vec<(usize, &Group)> = groups
            .filter(|(_, group)| Concern::new(group, answer.collections.len() == 1) == concern)
            .map(|(index, group)| (index + 1, group))
            .collect();
        if !of_it.is_empty() {
            text.push_str(&section(answer, concern, &of_it));
        }
    }
    if answer.found.groups.is_empty() {
        let _ = writeln!(text, "\n{}", heading("No duplicates."));
    } else {
        let _ = writeln!(
            text,
            "\n{FAINT}Score: probability that both are copies of one image (for burst frames: visual similarity), 0 to 1. The image without a kind is the group's reference.{FAINT:#}"
        );
    }
    text.push('\n');
    text.push_str(&next(answer));
    text
}

fn what_was_done(answer: &Duplicates<'_>) -> String {
    let &Duplicates { collections, found, .. } = answer;
    let names: Vec<String> =
        collections.iter().map(|collection| safe(&collection.catalog.collection.name())).collect();
    let mut text = format!("{}\n", heading(&names.join(" against ")));
    let images = |collection: usize| {
        found.images.iter().filter(|p| p.collection == collection).count() as u64
    };
    let counts: Vec<String> = (0..collections.len())
        .map(|collection| counted(images(collection), "image", "images"))
        .collect();
    let farther = match found.reach {
        Reach::Wide => "copies, crops, borders and tilts",
        Reach::Near => "copies; --reach wide also finds crops, borders and tilts",
        Reach::Exact => "identical bytes or pixels only; --reach near and wide find more",
    };
    let _ = writeln!(
        text,
        "{} compared, reach {}: {farther}",
        counts.join(" and "),
        found.reach.name()
    );
    text.push_str(&small_images(found));
    text.push_str(&how_alike(found));
    let mut kinds: Vec<String> = Vec::new();
    for kind in Kind::ALL {
        let groups = found.groups.iter().filter(|group| group.kind == kind).count();
        if groups > 0 {
            kinds.push(format!("{} {groups}", kind.name()));
        }
    }
    if !kinds.is_empty() {
        let total = counted(found.groups.len() as u64, "group", "groups");
        let _ = writeln!(text, "{total}: {}", kinds.join(", "));
    }
    if !answer.kinds.is_empty() {
        let names: Vec<&str> = answer.kinds.iter().map(|kind| kind.name()).collect();
        let _ = writeln!(text, "{FAINT}only {}{FAINT:#}", names.join(", "));
    }
    text
}

fn section(answer: &Duplicates<'_>, concern: Concern, groups: &[(usize, &Group)]) -> String {
    let style = match concern {
        Concern::Conflict | Concern::Leak => ERROR,
        Concern::Copies | Concern::Burst => WARNING,
        Concern::Variants | Concern::Alike => HEADING,
    };
    let mut text = format!("\n{style}{}{style:#} ({})\n", concern.title(), groups.len());
    let with_splits = groups.iter().any(|(_, group)| {
        group.members.iter().any(|member| answer.record(member).split().is_some())
    });
    let mut head: Vec<String> = ["", "image", "class"].map(str::to_owned).to_vec();
    let mut columns = vec![Align::Right, Align::Left, Align::Left];
    if with_splits {
        head.push("split".to_owned());
        columns.push(Align::Left);
    }
    head.extend(["pixels", "bytes", "kind", "score", ""].map(str::to_owned));
    columns.extend([Align::Right, Align::Right, Align::Left, Align::Right, Align::Left]);
    let mut rows = vec![head];
    let most = if answer.all { usize::MAX } else { listed(groups.len(), MOST_GROUPS) };
    for (number, group) in groups.iter().take(most) {
        let shown = match group.is_series() {
            _ if answer.all => usize::MAX,
            true => listed(group.members.len(), MOST_OF_SERIES),
            false => listed(group.members.len(), MOST_PICTURES),
        };
        for (place, member) in group.members.iter().take(shown).enumerate() {
            let number = if place == 0 { number.to_string() } else { String::new() };
            rows.push(row(answer, group, member, number, with_splits));
        }
        if group.members.len() > shown {
            let more = group.members.len() - shown;
            let series = match group.is_series() {
                true => format!(" of a series of {}", group.members.len()),
                false => String::new(),
            };
            rows.push(vec![String::new(), format!("... {more} more{series} (--all)")]);
        }
    }
    let narrow = match answer.all {
        true => Narrow::Keep,
        false => Narrow::Drop(&["bytes", "score", "pixels", "split"]),
    };
    text.push_str(&Table::new(&columns, rows).text(narrow));
    if groups.len() > most {
        let _ = writeln!(text, "  ... {} more groups (--all)", groups.len() - most);
    }
    text
}

fn row(
    answer: &Duplicates<'_>,
    group: &Group,
    member: &Member,
    number: String,
    with_splits: bool,
) -> Vec<String> {
    let image = answer.image(member.image);
    let (record, facts) = (image.record, &image.measured.facts);
    let mut row = vec![number, answer.path(member.image), record.class().unwrap_or("-").to_owned()];
    if with_splits {
        row.push(record.split().unwrap_or("-").to_owned());
    }
    let remark =
        kept_because(group, member).map_or(String::new(), |reason| format!("keep: {reason}"));
    row.extend([
        format!("{}x{}", facts.width_px, facts.height_px),
        humansize::format_size(record.size_bytes, humansize::DECIMAL),
        member.kind.map_or(String::new(), |kind| kind.name().to_owned()),
        member.score.map_or(String::new(), |score| format!("{score:.3}")),
        remark,
    ]);
    row
}

fn next(answer: &Duplicates<'_>) -> String {
    if !answer.found.groups.is_empty() && !answer.has_sheet {
        let against = answer.against.map(Root::to_word);
        let mut options: Vec<&dyn AsRef<OsStr>> = Vec::new();
        if let Some(against) = &against {
            options.extend([&"--against" as &dyn AsRef<OsStr>, against]);
        }
        options.extend([&"--sheet" as &dyn AsRef<OsStr>, &"duplicates.png"]);
        return next_step(
            "draw a contact sheet of them:",
            &command_on(answer.config, "duplicates", &options),
        );
    }
    next_step("run the full audit:", &command_on(answer.config, "audit", &[]))
}
