//! Rules about images that are there more than once.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};

use super::builder::{Draft, RowReason, group_name};
use super::request::Prefer;
use super::rules::Rule;
use crate::duplicates::{Kind, Member, Naming, Pair, ranked};
use crate::leakage::standing;
use crate::record::Record;

/// How sure it must be that two images are the same for one to be dropped unseen: dropping is the costliest error.
const SURE: f32 = 0.95;

fn record<'a>(draft: &Draft<'a>, image: u32) -> &'a Record {
    draft.subject.found.images[image as usize].record
}

/// How an image is a copy, in words.
fn how(kind: Kind) -> String {
    match kind {
        Kind::SameBytes => "the same file as".to_owned(),
        Kind::SamePixels => "the same pixels as".to_owned(),
        Kind::Near => "a copy (saved again or resized) of".to_owned(),
        Kind::Rotated => "a copy (rotated or mirrored) of".to_owned(),
        kind => format!("a copy ({}) of", kind.name()),
    }
}

/// Copies of one image under several classes: nobody but a person knows which is right.
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
                RowReason {
                    rule: Rule::Conflicts,
                    group: name.clone(),
                    reason: format!("{} {other}, which is in another class", how(group.kind)),
                    confidence: Some(f64::from(group.score)),
                },
            );
        }
    }
}

/// Images that must go so that none is in two splits.
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
            RowReason {
                rule: Rule::Leaks,
                group: name.clone(),
                reason: format!("in {place}, which is protected"),
                confidence: None,
            },
        );
        draft.drop(
            goes,
            RowReason {
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
            copies_of_split(draft, &naming, members);
        }
    }
}

fn copies_of_split(draft: &mut Draft<'_>, naming: &Naming, members: Vec<&Member>) {
    let is_free = |member: &&Member| draft.is_free(record(draft, member.image));
    let is_protected = members.iter().any(|member| draft.is_protected(record(draft, member.image)));
    // A person decides on what is open first.
    if members.len() < 2 || is_protected || !members.iter().all(is_free) {
        return;
    }
    let found = draft.subject.found;
    let (ranked, reason) =
        ranked(&members, &|index| &found.images[index as usize], naming, &draft.wishes.prefer);
    // What copies of another group are kept for stays, and is the one to keep here, too.
    let is_kept = |member: &&&Member| draft.is_kept(record(draft, member.image));
    let best = ranked.iter().find(is_kept).or(ranked.first()).copied();
    let Some(best) = best else { return };
    let kept = record(draft, best.image);
    let which = reason.map_or("comes first", Prefer::reason);
    let name = group_name("copies", members.iter().map(|member| record(draft, member.image)));
    let mut are_any = false;
    for other in ranked.iter().filter(|member| member.image != best.image) {
        let goes = record(draft, other.image);
        // Only what was compared with the one that stays is known to be a copy of it.
        let Some(link) = found.link(best.image, other.image) else { continue };
        let (kind, score) = (link.kind, link.score);
        if !kind.is_duplicate() || draft.is_kept(goes) {
            continue;
        }
        let said = RowReason {
            rule: Rule::Copies,
            group: name.clone(),
            reason: format!("{} {}, which {which}", how(kind), kept.path),
            confidence: Some(f64::from(score)),
        };
        let is_sure = score >= SURE && !is_doubtful(draft, &link);
        if is_sure {
            draft.drop_for(goes, kept, said)
        } else {
            draft.decide(goes, said)
        }
        are_any = true;
    }
    if are_any {
        let reason = reason.map_or("nothing distinguishes them", Prefer::reason).to_owned();
        let said = RowReason { rule: Rule::Copies, group: name, reason, confidence: None };
        draft.keep(kept, said);
    }
}

/// The share of an image in one colour from which a mirrored one may as well be another design that looks the other way.
const PLAIN: f32 = 0.5;

/// Whether two copies may be different images, however alike they are. Such pairs are left to a person.
fn is_doubtful(draft: &Draft<'_>, link: &Pair) -> bool {
    let measured =
        [link.a, link.b].map(|image| draft.subject.found.images[image as usize].measured);
    let [a, b] = measured.map(|measured| &measured.facts);
    let is_plain = measured.iter().all(|measured| measured.measures.flat_share >= PLAIN);
    // Drawings on plain ground come in pairs that look left and right, drawn by one hand: to the last pixel, too.
    if link.kind == Kind::Rotated && is_plain {
        return true;
    }
    // Small ones have too few pixels to differ in; and frames of a burst have one size and format, and differ by less than
    // many copies do.
    let may_be_frames = link.kind == Kind::Near
        && (a.width_px, a.height_px, a.format) == (b.width_px, b.height_px, b.format);
    !link.is_replayed && (measured.iter().any(|measured| measured.is_small()) || may_be_frames)
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
            let look = &found.images[member.image as usize].measured.measures;
            (look.sharpness * 1e6) as i64
        };
        let name = group_name("burst", members.iter().map(|member| record(draft, member.image)));
        members.sort_by_cached_key(|member| {
            let record = record(draft, member.image);
            (Reverse(draft.is_protected(record)), Reverse(sharpness(member)), record.path.clone())
        });
        for (at, member) in members.into_iter().enumerate() {
            let frame = record(draft, member.image);
            let said = |reason: String| RowReason {
                rule: Rule::Bursts,
                group: name.clone(),
                reason,
                confidence: None,
            };
            if at < most || draft.is_protected(frame) {
                draft.keep(frame, said(format!("among the {most} sharpest of its burst")));
            } else {
                draft.drop(frame, said(format!("frame {} of its burst by sharpness", at + 1)));
            }
        }
    }
}
