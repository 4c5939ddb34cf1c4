//! Which copy others were made of: it is the original, or nearer to it than they are.

use std::collections::{HashMap, HashSet};

use super::filename_rank::Naming;
use super::image_set::ImageSet;
use super::keep::ranked;
use super::kind::Kind;
use super::prefer::Prefer;
use super::replaying::{Placed, second_replayed};
use super::report::{Group, Member};
use super::same_bytes::Copies;
use crate::Error;
use crate::affine::Affine;
use crate::progress::Progress;

/// Images of a group that may be the original, and others that are made again from each of them. An original makes most of
/// what was made of it, so that a few tell.
const ASKED: usize = 6;
const TRIED: usize = 8;

/// What brings the first of two copies to the second, by the first files with their bytes, the smaller number first.
pub struct Maps(pub HashMap<(u32, u32), Affine>);

impl Maps {
    fn between(&self, a: u32, b: u32) -> Option<Affine> {
        let map = self.0.get(&(a.min(b), a.max(b)))?;
        if a < b { Some(*map) } else { map.inverse() }
    }
}

/// Pairs of which the second was made again from the first, by the first files with their bytes.
pub type Made = HashSet<(u32, u32)>;

/// Counts for the likeliest originals of each group how many of the others can be made again from them, and then tries the
/// one that is to stay on all others.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn find_originals(
    prepared: &ImageSet<'_>,
    groups: &mut [Group],
    copies: &Copies,
    maps: &Maps,
    naming: &Naming,
    progress: &dyn Progress,
) -> Result<Made, Error> {
    let image = |index: u32| &prepared.images[index as usize];
    let leader = |index: u32| copies.leader[index as usize];
    // The first files of a group, the likeliest original first.
    let leaders = |group: &Group| -> Vec<u32> {
        let members: Vec<&Member> = group.members.iter().collect();
        let mut leaders: Vec<u32> = Vec::new();
        for member in ranked(&members, &image, naming, Prefer::ALL).0 {
            if !leaders.contains(&leader(member.image)) {
                leaders.push(leader(member.image));
            }
        }
        leaders
    };
    let is_open = |group: &&mut Group| group.kind.is_duplicate() && group.kind > Kind::SamePixels;
    let mut tried: HashSet<(u32, u32)> = HashSet::new();
    let mut made = Made::new();
    for (asked, most) in [(ASKED, TRIED), (1, usize::MAX)] {
        let mut placed: Vec<Placed> = Vec::new();
        for group in groups.iter_mut().filter(is_open) {
            let leaders = leaders(group);
            for &original in leaders.iter().take(asked) {
                let others = leaders.iter().filter(|other| **other != original).take(most);
                let others = others.filter(|other| tried.insert((original, **other)));
                placed.extend(others.filter_map(|&other| {
                    Some(Placed { pair: [original, other], map: maps.between(original, other)? })
                }));
            }
        }
        let is_made = second_replayed(prepared, &placed, progress)?;
        let proven = placed.iter().zip(is_made).filter(|(_, is_made)| *is_made);
        made.extend(proven.map(|(placed, _)| (placed.pair[0], placed.pair[1])));
        if asked == 1 {
            break;
        }
        for group in groups.iter_mut().filter(is_open) {
            let there: HashSet<u32> =
                group.members.iter().map(|member| leader(member.image)).collect();
            for member in &mut group.members {
                let from = leader(member.image);
                let count = there.iter().filter(|other| made.contains(&(from, **other))).count();
                member.makes = u8::try_from(count).unwrap_or(u8::MAX);
            }
        }
    }
    Ok(made)
}
