//! From pairs to groups, with the image of each that is the one to keep.

use std::cmp::Reverse;
use std::collections::HashSet;

use super::clustering::{Link, Links, Membership, families, group};
use super::filename_rank::Naming;
use super::image_set::ImageSet;
use super::keep::{departures, ranked, usual_aspects};
use super::kind::Kind;
use super::originals::{Maps, find_originals};
use super::prefer::Prefer;
use super::report::{Group, Member, Pair};
use super::same_bytes::Copies;
use crate::Error;
use crate::progress::Progress;

/// The groups that `pairs` make: duplicates, then bursts, then look-alikes. Of the pairs it is noted which were made again.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn groups(
    prepared: &ImageSet<'_>,
    pairs: &mut [Pair],
    copies: &Copies,
    maps: &Maps,
    progress: &dyn Progress,
) -> Result<Vec<Group>, Error> {
    let naming = Naming::new(prepared.images.iter().map(|image| &image.record.path));
    let content_px = |index: u32| content_px(prepared, copies, index);
    let rank = |index: u32| {
        let record = prepared.images[index as usize].record;
        (
            Reverse(content_px(index)),
            Reverse(record.size_bytes),
            Reverse(naming.plainness(&record.path)),
        )
    };
    let of = |is_wanted: &dyn Fn(Kind) -> bool| -> Links {
        let wanted = pairs.iter().filter(|pair| is_wanted(pair.kind));
        wanted
            .map(|pair| {
                (
                    (pair.a, pair.b),
                    Link { kind: pair.kind, score: pair.score, is_replayed: pair.is_replayed },
                )
            })
            .collect()
    };
    let count = prepared.images.len();
    let links = of(&Kind::is_duplicate);
    let duplicates = group(count, &links, rank);
    // One group a moment, however long it is.
    let bursts = families(count, &of(&|kind| kind == Kind::Burst), rank);
    let variants = families(count, &of(&Kind::is_variant), rank);
    let alike = group(count, &of(&|kind| kind == Kind::LookAlike), rank);
    let usual = usual_aspects(&prepared.images);
    let departures = |members: &[u32]| {
        let image = |index: u32| &prepared.images[index as usize];
        let content = |index: u32| prepared.looks.content(copies.leader[index as usize] as usize);
        let usual_aspect = |index: u32| usual.get(image(index).record.class()?).copied();
        let thumbnail =
            |index: u32| prepared.looks.thumbnail(copies.leader[index as usize] as usize);
        departures(members, &links, &image, &content, &thumbnail, &usual_aspect)
    };
    let mut groups: Vec<Group> = [duplicates, bursts, variants, alike]
        .into_iter()
        .flat_map(|groups| {
            let groups = groups
                .iter()
                .map(|members| finished(prepared, members, &links, &departures, &content_px));
            let mut groups: Vec<Group> = groups.collect();
            groups.sort_by_key(|group| {
                let first = group.members.iter().map(|member| member.image).min();
                let size = group.members.len();
                (Reverse(group.label_conflict), Reverse(group.across_splits), Reverse(size), first)
            });
            groups
        })
        .collect();
    let made = find_originals(prepared, &mut groups, copies, maps, &naming, progress)?;
    for pair in pairs.iter_mut() {
        let [a, b] = [pair.a, pair.b].map(|image| copies.leader[image as usize]);
        pair.is_replayed |= made.contains(&(a, b)) || made.contains(&(b, a));
    }
    decide(prepared, &mut groups, &links, &naming);
    Ok(groups)
}

/// Says of every copy whether it stays: one verdict an image, in however many groups it is. What goes was compared with one
/// that stays.
fn decide(prepared: &ImageSet<'_>, groups: &mut [Group], links: &Links, naming: &Naming) {
    let image = |index: u32| &prepared.images[index as usize];
    let (mut kept, mut dropped): (HashSet<u32>, HashSet<u32>) = Default::default();
    let is_compared = |a: u32, b: u32| {
        links.contains_key(&(a.min(b), a.max(b)))
            || image(a).measured.digest == image(b).measured.digest
    };
    for group in groups.iter_mut().filter(|group| group.kind.is_duplicate()) {
        let members: Vec<&Member> = group.members.iter().collect();
        let (ranked, reason) = ranked(&members, &image, naming, Prefer::ALL);
        group.keep_reason = reason;
        let known = ranked.iter().find(|member| kept.contains(&member.image));
        let free = || ranked.iter().find(|member| !dropped.contains(&member.image));
        let Some(best) = known.or_else(free).map(|member| member.image) else { continue };
        kept.insert(best);
        let others = ranked.iter().map(|member| member.image);
        dropped.extend(others.filter(|one| !kept.contains(one) && is_compared(best, *one)));
        group.members.sort_by_key(|member| (member.image != best, member.image));
    }
    for group in groups.iter_mut().filter(|group| group.kind.is_duplicate()) {
        for member in &mut group.members {
            member.keep = !dropped.contains(&member.image);
        }
    }
}

/// The pixels of an image within its border.
fn content_px(prepared: &ImageSet<'_>, copies: &Copies, index: u32) -> u64 {
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
    prepared: &ImageSet<'_>,
    members: &[Membership],
    links: &Links,
    departures: &dyn Fn(&[u32]) -> Vec<u8>,
    content_px: &dyn Fn(u32) -> u64,
) -> Group {
    let image = |member: &Membership| &prepared.images[member.image as usize];
    let known = || members.iter().filter_map(|member| member.link);
    let kind = known().map(|link| link.kind).max().unwrap_or(Kind::SameBytes);
    let numbers: Vec<u32> = members.iter().map(|member| member.image).collect();
    let departures =
        if kind.is_duplicate() { departures(&numbers) } else { vec![0; numbers.len()] };
    let are_same = |a: &Membership, b: &Membership| {
        let key = (a.image.min(b.image), a.image.max(b.image));
        a.image == b.image || links.get(&key).is_some_and(|link| link.kind <= Kind::SamePixels)
    };
    let least_bytes = |one: &Membership| {
        let same = members.iter().filter(|other| are_same(one, other));
        same.map(|other| image(other).record.size_bytes).min().unwrap_or(0)
    };
    let listed = members.iter().zip(departures).map(|(member, departures)| Member {
        image: member.image,
        keep: true,
        kind: member.link.map(|link| link.kind),
        score: member.link.map(|link| link.score),
        makes: 0,
        content_px: content_px(member.image),
        least_bytes: least_bytes(member),
        departures,
    });
    // The one that the group was built around first.
    let mut listed: Vec<Member> = listed.collect();
    listed[1..].sort_by_key(|member| member.image);
    Group {
        kind,
        score: known().map(|link| link.score).fold(1.0, f32::min),
        label_conflict: differ(members.iter().filter_map(|member| image(member).record.class())),
        across_splits: differ(members.iter().filter_map(|member| image(member).record.split())),
        members: listed,
        keep_reason: None,
    }
}
