//! From pairs to groups, with the picture of each that is the one to keep.

use std::cmp::Reverse;

use super::found::{Group, Member, Pair, Why};
use super::grouping::{Link, Links, Membership, families, group};
use super::kind::Kind;
use super::naming::{Naming, Plainness};
use super::same_bytes::Copies;
use super::subjects::{Picture, Subjects};

/// The groups that `pairs` make: duplicates, then bursts, then look-alikes.
pub fn groups(subjects: &Subjects<'_>, pairs: &[Pair], copies: &Copies) -> Vec<Group> {
    let naming = Naming::of(subjects.pictures.iter().map(|picture| &picture.record.path));
    let worth = |index: u32| worth(subjects, copies, &naming, index);
    let rank = |index: u32| Reverse(worth(index));
    let of = |is_wanted: &dyn Fn(Kind) -> bool| -> Links {
        let wanted = pairs.iter().filter(|pair| is_wanted(pair.kind));
        wanted.map(|pair| ((pair.a, pair.b), Link { kind: pair.kind, score: pair.score })).collect()
    };
    let count = subjects.pictures.len();
    let duplicates = group(count, &of(&Kind::is_duplicate), rank);
    // One group a moment, however long it is.
    let bursts = families(count, &of(&|kind| kind == Kind::Burst), rank);
    let variants = families(count, &of(&Kind::is_variant), rank);
    let alike = group(count, &of(&|kind| kind == Kind::LookAlike), rank);
    [duplicates, bursts, variants, alike]
        .into_iter()
        .flat_map(|groups| {
            let groups = groups.iter().map(|members| finished(subjects, members, &worth));
            let mut groups: Vec<Group> = groups.collect();
            groups.sort_by_key(|group| {
                let first = group.members.iter().map(|member| member.picture).min();
                let size = group.members.len();
                (Reverse(group.label_conflict), Reverse(group.across_splits), Reverse(size), first)
            });
            groups
        })
        .collect()
}

/// Pixels, bytes, and how plain the name is; the greatest is kept.
type Worth = (u64, u64, Plainness);

/// What decides which picture is kept: its pixels within the border, to a hundredth, its bytes, and how plain its file
/// name is.
fn worth(subjects: &Subjects<'_>, copies: &Copies, naming: &Naming, index: u32) -> Worth {
    let Picture { record, measured, .. } = subjects.pictures[index as usize];
    // Of files with the same bytes only one was looked at.
    let content = subjects.looks.content(copies.leader[index as usize] as usize);
    let share = content.map_or(1.0, |region| f64::from(region.width() * region.height()));
    let pixels = f64::from(measured.facts.width_px) * f64::from(measured.facts.height_px) * share;
    let name = naming.plainness(&record.path);
    ((pixels.max(1.0).ln() * 100.0) as u64, record.size_bytes, name)
}

/// Whether not all names are the same.
fn differ<'a>(mut names: impl Iterator<Item = &'a str>) -> bool {
    let first = names.next();
    names.any(|name| Some(name) != first)
}

fn finished(
    subjects: &Subjects<'_>,
    members: &[Membership],
    worth: &dyn Fn(u32) -> Worth,
) -> Group {
    let picture = |member: &Membership| &subjects.pictures[member.picture as usize];
    let mut ranked: Vec<(Worth, u32)> =
        members.iter().map(|member| (worth(member.picture), member.picture)).collect();
    ranked.sort_unstable_by_key(|&(worth, picture)| (Reverse(worth), picture));
    let best = ranked.first().map(|&(_, picture)| picture);
    let links = || members.iter().filter_map(|member| member.link);
    let kind = links().map(|link| link.kind).max().unwrap_or(Kind::SameBytes);
    let why = match ranked[..] {
        [((first, ..), _), ((second, ..), _), ..] if first > second => Why::Pixels,
        [((_, first, _), _), ((_, second, _), _), ..] if first > second => Why::Bytes,
        [((.., first), _), ((.., second), _), ..] if first > second => Why::Name,
        _ => Why::Path,
    };
    let mut listed: Vec<Member> = members
        .iter()
        .map(|member| Member {
            picture: member.picture,
            keep: !kind.is_duplicate() || Some(member.picture) == best,
            kind: member.link.map(|link| link.kind),
            score: member.link.map(|link| link.score),
        })
        .collect();
    listed.sort_by_key(|member| (Some(member.picture) != best, member.picture));
    Group {
        kind,
        score: links().map(|link| link.score).fold(1.0, f32::min),
        label_conflict: differ(members.iter().filter_map(|member| picture(member).record.class())),
        across_splits: differ(members.iter().filter_map(|member| picture(member).record.split())),
        members: listed,
        why: kind.is_duplicate().then_some(why),
    }
}
