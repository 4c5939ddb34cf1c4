//! Rules about pictures that are there more than once.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};

use super::draft::{Draft, Said, group_name};
use super::rules::Rule;
use super::wishes::Prefer;
use crate::duplicates::{Group, Kind, Member, Naming};
use crate::leakage::standing;
use crate::record::Record;

/// How sure it must be that two pictures are the same for one to be dropped unseen: a drop that is wrong one time in ten is
/// worth a look.
const SURE: f32 = 0.9;

/// Files that were written within a minute came there together, unpacked or copied: which was first says nothing.
const TOGETHER_NS: i64 = 60_000_000_000;

fn record<'a>(draft: &Draft<'a>, image: u32) -> &'a Record {
    draft.subject.found.images[image as usize].record
}

/// How a picture is a copy, in words.
fn how(kind: Kind) -> String {
    match kind {
        Kind::SameBytes => "the same file as".to_owned(),
        Kind::SamePixels => "the same pixels as".to_owned(),
        Kind::Near => "a copy (saved again or resized) of".to_owned(),
        Kind::Turned => "a copy (turned or mirrored) of".to_owned(),
        kind => format!("a copy ({}) of", kind.name()),
    }
}

/// Copies of one picture under several classes: nobody but a person knows which is right.
pub fn conflicts(draft: &mut Draft<'_>) {
    let found = draft.subject.found;
    for group in
        found.groups.iter().filter(|group| group.kind.is_duplicate() && group.label_conflict)
    {
        let members: Vec<&Record> =
            group.members.iter().map(|member| record(draft, member.image)).collect();
        let members: Vec<&Record> =
            members.into_iter().filter(|record| draft.is_free(record)).collect();
        let classes: BTreeSet<&str> = members.iter().filter_map(|record| record.class()).collect();
        if classes.len() < 2 {
            continue;
        }
        let name = group_name("conflict", members.iter().copied());
        for &member in &members {
            let other = members.iter().find(|other| other.class() != member.class());
            let other = other.map_or(String::new(), |other| other.path.to_string());
            draft.decide(
                member,
                Said {
                    rule: Rule::Conflicts,
                    group: name.clone(),
                    reason: format!("{} {other}, which is of another class", how(group.kind)),
                    confidence: Some(f64::from(group.score)),
                },
            );
        }
    }
}

/// Pictures that must go so that none is in two splits.
pub fn leaks(draft: &mut Draft<'_>) {
    let removals = &draft.subject.audit.leakage.removals;
    for removal in removals {
        let (goes, stays) = (record(draft, removal.image), record(draft, removal.cause));
        // What matters most to a score is never changed for the sake of the others.
        let is_judge = standing(goes.split()) >= standing(stays.split());
        if !draft.is_free(goes) || draft.is_gone(stays) || draft.is_protected(goes) || is_judge {
            continue;
        }
        let name = group_name("leak", [stays].into_iter());
        let place = stays.split().unwrap_or_default();
        draft.keep(
            stays,
            Said {
                rule: Rule::Leaks,
                group: name.clone(),
                reason: format!("in {place}, which is not changed"),
                confidence: None,
            },
        );
        draft.drop(
            goes,
            Said {
                rule: Rule::Leaks,
                group: name,
                reason: format!("{} of {}, which is in {place}", removal.reason.name(), stays.path),
                confidence: None,
            },
        );
    }
    // One keep for each group is enough.
    let mut kept = BTreeSet::new();
    draft.proposals.retain(|proposal| {
        proposal.rule != Rule::Leaks
            || proposal.row.action != super::plan::Action::Keep
            || kept.insert((proposal.row.group.clone(), proposal.row.path.clone()))
    });
}

/// Copies of which one is enough. Those of several splits are leaks, which have a rule of their own.
pub fn copies(draft: &mut Draft<'_>) {
    let found = draft.subject.found;
    let naming = Naming::new(found.images.iter().map(|image| &image.record.path));
    for group in found.groups.iter().filter(|group| group.kind.is_duplicate()) {
        let mut splits: BTreeMap<Option<&str>, Vec<&Member>> = BTreeMap::new();
        for member in &group.members {
            let record = record(draft, member.image);
            if !draft.is_gone(record) {
                splits.entry(record.split()).or_default().push(member);
            }
        }
        for members in splits.into_values() {
            copies_of_split(draft, &naming, group, members);
        }
    }
}

fn copies_of_split(
    draft: &mut Draft<'_>,
    naming: &Naming,
    group: &Group,
    mut members: Vec<&Member>,
) {
    let is_free = |member: &&Member| draft.is_free(record(draft, member.image));
    let is_protected = members.iter().any(|member| draft.is_protected(record(draft, member.image)));
    // A person decides on what is open first.
    if members.len() < 2 || is_protected || !members.iter().all(is_free) {
        return;
    }
    let (best, reason) = best(draft, naming, &mut members);
    let kept = record(draft, best.image);
    let name = group_name("copies", members.iter().map(|member| record(draft, member.image)));
    draft.keep(
        kept,
        Said {
            rule: Rule::Copies,
            group: name.clone(),
            reason: reason.map_or("nothing tells them apart", Prefer::reason).to_owned(),
            confidence: None,
        },
    );
    for other in members.into_iter().filter(|member| member.image != best.image) {
        let (kind, score) = link(group, other, best);
        let which = reason.map_or("comes first", Prefer::reason);
        let said = Said {
            rule: Rule::Copies,
            group: name.clone(),
            reason: format!("{} {}, which {which}", how(kind), kept.path),
            confidence: Some(f64::from(score)),
        };
        let goes = record(draft, other.image);
        if score >= SURE { draft.drop(goes, said) } else { draft.decide(goes, said) }
    }
}

/// How a picture goes with the one that is kept: both go with the picture that the group was built around.
fn link(group: &Group, other: &Member, kept: &Member) -> (Kind, f32) {
    let kind = [other.kind, kept.kind].into_iter().flatten().max().unwrap_or(group.kind);
    let score = [other.score, kept.score].into_iter().flatten().fold(1.0, f32::min);
    (kind, score)
}

/// The one of some copies that stays, and the first preference that tells it from the next; none where only the paths do.
fn best<'m>(
    draft: &Draft<'_>,
    naming: &Naming,
    members: &mut [&'m Member],
) -> (&'m Member, Option<Prefer>) {
    let modified = |member: &Member| record(draft, member.image).at.stamp.modified_ns;
    let oldest = members.iter().map(|member| modified(member)).min().unwrap_or(0);
    // Of the same pixels more bytes are but a comment, or another container.
    let are_pixels_same =
        members.iter().all(|member| member.kind.is_none_or(|kind| kind <= Kind::SamePixels));
    // Each preference as a number, of which the greatest wins.
    let value = |member: &Member, prefer: Prefer| -> i128 {
        let image = &draft.subject.found.images[member.image as usize];
        let record = image.record;
        match prefer {
            // To a hundredth: rounding of sizes says nothing.
            Prefer::Pixels => ((member.content_px.max(1) as f64).ln() * 100.0) as i128,
            Prefer::Bytes if are_pixels_same => 0,
            Prefer::Bytes => i128::from(record.size_bytes),
            Prefer::Oldest => -i128::from((modified(member) - oldest) / TOGETHER_NS),
            Prefer::Name => {
                let (is_usual, Reverse(letters)) = naming.plainness(&record.path);
                i128::from(is_usual) * 100_000 - letters as i128
            }
        }
    };
    let values = |member: &Member| -> Vec<i128> {
        draft.wishes.prefer.iter().map(|&prefer| value(member, prefer)).collect()
    };
    members.sort_by_cached_key(|member| {
        (Reverse(values(member)), record(draft, member.image).path.clone())
    });
    let (first, second) = (values(members[0]), values(members[1]));
    let told = first.iter().zip(&second).position(|(a, b)| a != b);
    (members[0], told.map(|at| draft.wishes.prefer[at]))
}

/// Frames of one moment of which a few are enough: the sharpest stay.
pub fn bursts(draft: &mut Draft<'_>) {
    let Some(most) = draft.wishes.bursts else { return };
    let found = draft.subject.found;
    for group in found.groups.iter().filter(|group| group.kind == Kind::Burst) {
        let free = |member: &&Member| draft.is_free(record(draft, member.image));
        let mut members: Vec<&Member> = group.members.iter().filter(free).collect();
        if members.len() <= most {
            continue;
        }
        let sharpness = |member: &Member| {
            let look = &found.images[member.image as usize].measured.look;
            (look.sharpness * 1e6) as i64
        };
        let name = group_name("burst", members.iter().map(|member| record(draft, member.image)));
        members.sort_by_cached_key(|member| {
            let record = record(draft, member.image);
            (Reverse(draft.is_protected(record)), Reverse(sharpness(member)), record.path.clone())
        });
        for (at, member) in members.into_iter().enumerate() {
            let frame = record(draft, member.image);
            let said = |reason: String| Said {
                rule: Rule::Bursts,
                group: name.clone(),
                reason,
                confidence: None,
            };
            if at < most || draft.is_protected(frame) {
                draft.keep(frame, said(format!("among the {most} sharpest of its moment")));
            } else {
                draft.drop(frame, said(format!("frame {} of its moment by sharpness", at + 1)));
            }
        }
    }
}
