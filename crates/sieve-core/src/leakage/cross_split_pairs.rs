//! Images of one split that are in another one too.

use std::collections::{HashMap, HashSet};

use crate::duplicates::{DuplicateReport, Kind};
use crate::independent::declared;

/// What ties two images together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum PairReason {
    /// One image, or burst frames.
    Alike(Kind),
    /// A table or a name puts them into one group.
    Group,
}

impl PairReason {
    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            PairReason::Alike(kind) => kind.name(),
            PairReason::Group => "group",
        }
    }

    /// Whether both show the same image.
    pub fn is_copy(self) -> bool {
        matches!(self, PairReason::Alike(kind) if kind.is_duplicate())
    }
}

/// Two images of different splits that are not independent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CrossSplitPair {
    /// The number of the first in [`DuplicateReport::images`]; the smaller one.
    pub a: u32,
    /// The number of the second.
    pub b: u32,
    /// What ties them together.
    pub reason: PairReason,
    /// For copies the chance that both show the same image, for burst frames the cosine of
    /// their looks, for groups 1; 0 to 1.
    pub score: f32,
    /// Whether the two were compared with each other; else both go with a third image.
    pub is_direct: bool,
}

/// All matches, surest first.
pub(super) fn cross_split_pairs(found: &DuplicateReport<'_>) -> Vec<CrossSplitPair> {
    let split = |number: u32| found.images[number as usize].record.split();
    let apart = |a: u32, b: u32| split(a).is_some() && split(b).is_some() && split(a) != split(b);
    let (mut cross_split_pairs, mut known): (Vec<CrossSplitPair>, HashSet<(u32, &str)>) =
        Default::default();
    let mut put = |known: &mut HashSet<_>, pair: CrossSplitPair| {
        known.extend(split(pair.b).map(|split| (pair.a, split)));
        known.extend(split(pair.a).map(|split| (pair.b, split)));
        cross_split_pairs.push(pair);
    };
    for pair in &found.pairs {
        if pair.kind.is_dependent() && apart(pair.a, pair.b) {
            let (reason, score) = (PairReason::Alike(pair.kind), pair.score);
            put(
                &mut known,
                CrossSplitPair { a: pair.a, b: pair.b, reason, score, is_direct: true },
            );
        }
    }
    let alike = found.groups.iter().filter(|group| group.kind.is_dependent());
    let alike = alike.map(|group| {
        let members = group.members.iter().map(|member| member.image).collect::<Vec<_>>();
        (members, PairReason::Alike(group.kind), group.score)
    });
    let declared = declared(found).into_values().map(|members| (members, PairReason::Group, 1.0));
    for (mut members, reason, score) in alike.chain(declared) {
        members.sort_unstable();
        let mut firsts: HashMap<&str, u32> = HashMap::new();
        for &member in &members {
            if let Some(split) = split(member) {
                firsts.entry(split).or_insert(member);
            }
        }
        let mut firsts: Vec<(&str, u32)> = firsts.into_iter().collect();
        firsts.sort_unstable();
        for &member in &members {
            for &(there, first) in &firsts {
                if apart(member, first) && !known.contains(&(member, there)) {
                    let (a, b) = (member.min(first), member.max(first));
                    put(
                        &mut known,
                        CrossSplitPair {
                            a,
                            b,
                            reason,
                            score,
                            is_direct: reason == PairReason::Group,
                        },
                    );
                }
            }
        }
    }
    cross_split_pairs.sort_by_key(|pair| (pair.reason, pair.a, pair.b));
    cross_split_pairs
}
