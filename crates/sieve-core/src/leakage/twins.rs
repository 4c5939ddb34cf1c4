//! Pictures of one split that are in another one too.

use std::collections::{HashMap, HashSet};

use crate::duplicates::{Found, Kind};
use crate::independent::declared;

/// What ties two pictures together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Bond {
    /// One picture, or frames of one moment.
    Alike(Kind),
    /// A table or a name puts them into one group.
    Group,
}

impl Bond {
    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Bond::Alike(kind) => kind.name(),
            Bond::Group => "group",
        }
    }

    /// Whether both show the same picture.
    pub fn is_copy(self) -> bool {
        matches!(self, Bond::Alike(kind) if kind.is_duplicate())
    }
}

/// Two pictures of different splits that are not independent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Twin {
    /// The number of the first in [`Found::pictures`]; the smaller one.
    pub a: u32,
    /// The number of the second.
    pub b: u32,
    /// What ties them together.
    pub bond: Bond,
    /// For copies the chance that both show the same picture, for frames of one moment the cosine of
    /// their looks, for groups 1; 0 to 1.
    pub score: f32,
    /// Whether the two were compared with each other; else both go with a third picture.
    pub is_direct: bool,
}

/// All twins, surest first.
pub(super) fn twins(found: &Found<'_>) -> Vec<Twin> {
    let split = |number: u32| found.pictures[number as usize].record.split();
    let apart = |a: u32, b: u32| split(a).is_some() && split(b).is_some() && split(a) != split(b);
    let (mut twins, mut known): (Vec<Twin>, HashSet<(u32, &str)>) = Default::default();
    let mut put = |known: &mut HashSet<_>, twin: Twin| {
        known.extend(split(twin.b).map(|split| (twin.a, split)));
        known.extend(split(twin.a).map(|split| (twin.b, split)));
        twins.push(twin);
    };
    for pair in &found.pairs {
        if pair.kind.is_dependent() && apart(pair.a, pair.b) {
            let (bond, score) = (Bond::Alike(pair.kind), pair.score);
            put(&mut known, Twin { a: pair.a, b: pair.b, bond, score, is_direct: true });
        }
    }
    let alike = found.groups.iter().filter(|group| group.kind.is_dependent());
    let alike = alike.map(|group| {
        let members = group.members.iter().map(|member| member.picture).collect::<Vec<_>>();
        (members, Bond::Alike(group.kind), group.score)
    });
    let declared = declared(found).into_values().map(|members| (members, Bond::Group, 1.0));
    for (mut members, bond, score) in alike.chain(declared) {
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
                    put(&mut known, Twin { a, b, bond, score, is_direct: bond == Bond::Group });
                }
            }
        }
    }
    twins.sort_by_key(|twin| (twin.bond, twin.a, twin.b));
    twins
}
