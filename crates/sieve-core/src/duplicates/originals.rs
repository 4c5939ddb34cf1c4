//! Which copy others were made of: it is the original, or nearer to it than they are.

use std::collections::HashMap;

use super::found::{Group, Member};
use super::keep::ranked;
use super::kind::Kind;
use super::naming::Naming;
use super::prefer::Prefer;
use super::prepared::PreparedImages;
use super::replaying::{Placed, second_replayed};
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

/// Counts for the likeliest originals of each group how many of the others can be made again from them.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn find_originals(
    prepared: &PreparedImages<'_>,
    groups: &mut [Group],
    copies: &Copies,
    maps: &Maps,
    naming: &Naming,
    progress: &dyn Progress,
) -> Result<(), Error> {
    let image = |index: u32| &prepared.images[index as usize];
    let leader = |index: u32| copies.leader[index as usize];
    let mut tried: Vec<(usize, u32)> = Vec::new();
    let mut placed: Vec<Placed> = Vec::new();
    for (number, group) in groups.iter().enumerate() {
        if !group.kind.is_duplicate() || group.kind <= Kind::SamePixels {
            continue;
        }
        let members: Vec<&Member> = group.members.iter().collect();
        let mut leaders: Vec<u32> = Vec::new();
        for member in ranked(&members, &image, naming, Prefer::ALL).0 {
            if !leaders.contains(&leader(member.image)) {
                leaders.push(leader(member.image));
            }
        }
        for &original in leaders.iter().take(ASKED) {
            let others = leaders.iter().filter(|other| **other != original);
            let others = others.filter_map(|&other| Some((other, maps.between(original, other)?)));
            for (other, map) in others.take(TRIED) {
                tried.push((number, original));
                placed.push(Placed { pair: [original, other], map });
            }
        }
    }
    let made = second_replayed(prepared, &placed, progress)?;
    let mut makes: HashMap<(usize, u32), u8> = HashMap::new();
    for (original, is_made) in tried.into_iter().zip(made) {
        *makes.entry(original).or_default() += u8::from(is_made);
    }
    for (number, group) in groups.iter_mut().enumerate() {
        for member in &mut group.members {
            member.makes = makes.get(&(number, leader(member.image))).copied().unwrap_or(0);
        }
    }
    Ok(())
}
