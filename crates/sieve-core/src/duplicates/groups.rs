//! From pairs to groups, with the picture of each that is the one to keep.

use std::cmp::Reverse;

use super::found::{Group, KeepReason, Member, Pair};
use super::grouping::{Link, Links, Membership, families, group};
use super::kind::Kind;
use super::naming::{Naming, Plainness};
use super::prepared::PreparedImages;
use super::same_bytes::Copies;

/// The groups that `pairs` make: duplicates, then bursts, then look-alikes.
pub fn groups(prepared: &PreparedImages<'_>, pairs: &[Pair], copies: &Copies) -> Vec<Group> {
    let naming = Naming::new(prepared.images.iter().map(|image| &image.record.path));
    let keep_priority = |index: u32| keep_priority(prepared, copies, &naming, index);
    let content_px = |index: u32| content_px(prepared, copies, index);
    let rank = |index: u32| Reverse(keep_priority(index));
    let of = |is_wanted: &dyn Fn(Kind) -> bool| -> Links {
        let wanted = pairs.iter().filter(|pair| is_wanted(pair.kind));
        wanted.map(|pair| ((pair.a, pair.b), Link { kind: pair.kind, score: pair.score })).collect()
    };
    let count = prepared.images.len();
    let duplicates = group(count, &of(&Kind::is_duplicate), rank);
    // One group a moment, however long it is.
    let bursts = families(count, &of(&|kind| kind == Kind::Burst), rank);
    let variants = families(count, &of(&Kind::is_variant), rank);
    let alike = group(count, &of(&|kind| kind == Kind::LookAlike), rank);
    [duplicates, bursts, variants, alike]
        .into_iter()
        .flat_map(|groups| {
            let groups = groups
                .iter()
                .map(|members| finished(prepared, members, &keep_priority, &content_px));
            let mut groups: Vec<Group> = groups.collect();
            groups.sort_by_key(|group| {
                let first = group.members.iter().map(|member| member.image).min();
                let size = group.members.len();
                (Reverse(group.label_conflict), Reverse(group.across_splits), Reverse(size), first)
            });
            groups
        })
        .collect()
}

/// Pixels, bytes, and how plain the name is; the greatest is kept.
type KeepPriority = (u64, u64, Plainness);

/// What decides which picture is kept: its pixels within the border, to a hundredth, its bytes, and how plain its file
/// name is.
fn keep_priority(
    prepared: &PreparedImages<'_>,
    copies: &Copies,
    naming: &Naming,
    index: u32,
) -> KeepPriority {
    let record = prepared.images[index as usize].record;
    let pixels = content_px(prepared, copies, index).max(1) as f64;
    ((pixels.ln() * 100.0) as u64, record.size_bytes, naming.plainness(&record.path))
}

/// The pixels of a picture within its border.
fn content_px(prepared: &PreparedImages<'_>, copies: &Copies, index: u32) -> u64 {
    let facts = &prepared.images[index as usize].measured.facts;
    // Of files with the same bytes only one was looked at.
    let content = prepared.looks.content(copies.leader[index as usize] as usize);
    let share = content.map_or(1.0, |region| f64::from(region.width() * region.height()));
    (f64::from(facts.width_px) * f64::from(facts.height_px) * share) as u64
}

/// Whether not all names are the same.
fn differ<'a>(mut names: impl Iterator<Item = &'a str>) -> bool {
    let first = names.next();
    names.any(|name| Some(name) != first)
}

fn finished(
    prepared: &PreparedImages<'_>,
    members: &[Membership],
    keep_priority: &dyn Fn(u32) -> KeepPriority,
    content_px: &dyn Fn(u32) -> u64,
) -> Group {
    let image = |member: &Membership| &prepared.images[member.image as usize];
    let links = || members.iter().filter_map(|member| member.link);
    let kind = links().map(|link| link.kind).max().unwrap_or(Kind::SameBytes);
    let priority = |member: &Membership| {
        let (pixels, bytes, plainness) = keep_priority(member.image);
        // The same pixels in more bytes are no better.
        (pixels, if kind <= Kind::SamePixels { 0 } else { bytes }, plainness)
    };
    let mut ranked: Vec<(KeepPriority, u32)> =
        members.iter().map(|member| (priority(member), member.image)).collect();
    ranked.sort_unstable_by_key(|&(keep_priority, image)| (Reverse(keep_priority), image));
    let best = ranked.first().map(|&(_, image)| image);
    let keep_reason = match ranked[..] {
        [((first, ..), _), ((second, ..), _), ..] if first > second => KeepReason::Pixels,
        [((_, first, _), _), ((_, second, _), _), ..] if first > second => KeepReason::Bytes,
        [((.., first), _), ((.., second), _), ..] if first > second => KeepReason::Name,
        _ => KeepReason::Path,
    };
    let mut listed: Vec<Member> = members
        .iter()
        .map(|member| Member {
            image: member.image,
            keep: !kind.is_duplicate() || Some(member.image) == best,
            kind: member.link.map(|link| link.kind),
            score: member.link.map(|link| link.score),
            content_px: content_px(member.image),
        })
        .collect();
    listed.sort_by_key(|member| (Some(member.image) != best, member.image));
    Group {
        kind,
        score: links().map(|link| link.score).fold(1.0, f32::min),
        label_conflict: differ(members.iter().filter_map(|member| image(member).record.class())),
        across_splits: differ(members.iter().filter_map(|member| image(member).record.split())),
        members: listed,
        keep_reason: kind.is_duplicate().then_some(keep_reason),
    }
}
