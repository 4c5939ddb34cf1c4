//! The whole search: from catalogs to groups.

use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap, HashSet};

use rayon::prelude::*;

use super::burst::neighbours;
use super::candidates::{Candidate, FEW, near, wide};
use super::closing::by_way_of_a_third;
use super::grouping::{Link, Links, Membership, group};
use super::kind::Kind;
use super::pixels::same_pixels;
use super::second_looks::looked_at_again;
use super::subjects::{Picture, Side, Subjects};
use super::verify::{Verified, of_pair, verify};
use crate::Error;
use crate::affine::Affine;
use crate::likeness::{Room, Start, Subject, moment};
use crate::measuring::{Digest, Fingerprint};
use crate::progress::Watch;
use crate::sets::Sets;

/// How far to look.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reach {
    /// Same bytes and same pixels: as long as reading a list.
    Same,
    /// Also copies whose fingerprints stay near: saved again, resized, mirrored, turned by quarters.
    Near,
    /// Also crops, borders, tilts and strong changes: some milliseconds a picture.
    Wide,
}

/// Pictures up to which the reach is wide when nothing else was asked for: minutes on a laptop.
const WIDE_UP_TO: usize = 50_000;

impl Reach {
    /// The reach for so many pictures.
    pub fn usual(pictures: usize) -> Self {
        if pictures <= WIDE_UP_TO { Reach::Wide } else { Reach::Near }
    }

    /// Its name, as it is written everywhere.
    pub fn name(self) -> &'static str {
        match self {
            Reach::Same => "same",
            Reach::Near => "near",
            Reach::Wide => "wide",
        }
    }
}

/// Which pictures are compared with which.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Within {
    /// All with all.
    #[default]
    All,
    /// Those of one class.
    Class,
    /// Those of one split.
    Split,
    /// Those of one collection with those of another.
    Across,
}

impl Within {
    fn allows(self, a: &Picture<'_>, b: &Picture<'_>) -> bool {
        match self {
            Within::All => true,
            Within::Class => a.record.class() == b.record.class(),
            Within::Split => a.record.split() == b.record.split(),
            Within::Across => a.side != b.side,
        }
    }
}

/// What is looked for.
#[derive(Clone, Debug, Default)]
pub struct Request {
    /// How far to look; none for what suits the number of pictures.
    pub reach: Option<Reach>,
    /// What is compared with what.
    pub within: Within,
    /// The kinds that are wanted; none for all.
    pub kinds: Vec<Kind>,
}

/// Two pictures that are there twice, or alike.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pair {
    /// The number of the first in [`Found::pictures`]; the smaller one.
    pub a: u32,
    /// The number of the second.
    pub b: u32,
    /// In which way they go together.
    pub kind: Kind,
    /// For duplicates and look-alikes the chance that both show the same picture, for bursts the
    /// cosine of their looks; 0 to 1.
    pub score: f32,
}

/// What was found.
pub struct Found<'a> {
    /// All pictures that were compared.
    pub pictures: Vec<Picture<'a>>,
    /// Pairs that were verified one by one, sorted by their numbers. In sets of more than 256 pictures
    /// with nearly the same fingerprint only those with the one that stands for them.
    pub pairs: Vec<Pair>,
    /// The groups that the pairs make, worst first: label conflicts, then across splits, then by
    /// size. Duplicates come before bursts, and bursts before look-alikes.
    pub groups: Vec<Group>,
    /// How far was looked.
    pub reach: Reach,
    /// How many pictures are small, so that only their bytes and pixels were compared.
    pub small: u64,
}

/// Pictures that go together.
#[derive(Clone, Debug, PartialEq)]
pub struct Group {
    /// The least sure kind in it.
    pub kind: Kind,
    /// The least score in it.
    pub score: f32,
    /// Whether its pictures have different classes.
    pub label_conflict: bool,
    /// Whether its pictures are in different splits.
    pub across_splits: bool,
    /// Its pictures, the one to keep first.
    pub members: Vec<Member>,
    /// Why that one.
    pub why: Why,
}

/// Why a picture is the one to keep.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Why {
    /// It has the most pixels, borders left out.
    Pixels,
    /// Of those with as many pixels it has the most bytes.
    Bytes,
    /// Its file name is the shortest: copies are named like what they were copied from, and more.
    Name,
    /// It comes first by its path; nothing else tells them apart.
    Path,
}

/// A picture of a group.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Member {
    /// Its number in [`Found::pictures`].
    pub picture: u32,
    /// Whether it is the one to keep.
    pub keep: bool,
    /// How it goes with the picture that the group was built around; that one itself has none.
    pub kind: Option<Kind>,
    /// The score of that.
    pub score: Option<f32>,
    /// The member that it goes with instead, where it does not go with that one.
    pub through: Option<u32>,
}

/// Finds what is there twice in `sides`, which are one collection or two that are compared.
///
/// # Errors
///
/// When `watch` asks to stop.
pub fn find<'a>(
    sides: &'a [Side<'a>],
    request: &Request,
    watch: &dyn Watch,
) -> Result<Found<'a>, Error> {
    let mut subjects = Subjects::of(sides);
    let reach = request.reach.unwrap_or_else(|| Reach::usual(subjects.pictures.len()));
    let copies = Copies::of(&subjects.pictures);
    let twins = same_pixels(&mut subjects, &copies.leaders, watch)?;
    // Of small pictures nothing else is compared.
    let is_small = |index: u32| subjects.pictures[index as usize].measured.is_small();
    let leaders: Vec<u32> =
        copies.leaders.iter().copied().filter(|&index| !is_small(index)).collect();
    let leaders = leaders.as_slice();
    let mut links = Links::new();
    let mut verified = Vec::new();
    if reach > Reach::Same {
        verified = looked_up(&mut subjects, leaders, reach, request, watch)?;
    }
    let mut same: HashMap<(u32, u32), Verified> = HashMap::new();
    for found in verified {
        links.insert((found.a, found.b), Link { kind: found.kind, score: found.verdict.score() });
        if found.kind.is_duplicate() {
            same.insert((found.a, found.b), found);
        }
    }
    for twins in &twins {
        each_pair(twins, |a, b| {
            let twin = Verified::twins(a, b);
            links.insert((a, b), Link { kind: twin.kind, score: twin.verdict.score() });
            same.insert((a, b), twin);
        });
    }
    for (pair, link) in bursts(&mut subjects, leaders, &same, reach, watch)? {
        links.insert(pair, link);
        same.remove(&pair);
    }
    let allows = |a: u32, b: u32| {
        let picture = |index: u32| &subjects.pictures[index as usize];
        request.within.allows(picture(a), picture(b))
    };
    let mut pairs = copies.expanded(&links, allows);
    pairs.retain(|pair| request.kinds.is_empty() || request.kinds.contains(&pair.kind));
    let groups = groups(&subjects, &pairs, &same, &copies);
    let small = subjects.pictures.iter().filter(|picture| picture.measured.is_small()).count();
    Ok(Found { groups, pairs, pictures: subjects.pictures, reach, small: small as u64 })
}

/// Files with the same bytes.
struct Copies {
    /// The first file of each content.
    leaders: Vec<u32>,
    /// All files of each content that is there more than once, by its leader.
    sets: BTreeMap<u32, Vec<u32>>,
    /// The leader of each picture.
    leader: Vec<u32>,
}

impl Copies {
    fn of(pictures: &[Picture<'_>]) -> Self {
        let mut first: HashMap<Digest, u32> = HashMap::new();
        let (mut leaders, mut sets) = (Vec::new(), BTreeMap::<u32, Vec<u32>>::new());
        let mut leader = Vec::with_capacity(pictures.len());
        for (index, picture) in (0u32..).zip(pictures) {
            let known = *first.entry(picture.measured.digest).or_insert(index);
            leader.push(known);
            if known == index {
                leaders.push(index);
            } else {
                sets.entry(known).or_insert_with(|| vec![known]).push(index);
            }
        }
        Copies { leaders, sets, leader }
    }

    fn all(&self, leader: u32) -> &[u32] {
        self.sets.get(&leader).map_or(&[], Vec::as_slice)
    }

    /// The pairs between leaders as pairs between all files with their bytes, and those of the same
    /// bytes.
    fn expanded(&self, links: &Links, allows: impl Fn(u32, u32) -> bool) -> Vec<Pair> {
        let mut pairs = Vec::new();
        let mut put = |a: u32, b: u32, kind, score| {
            if allows(a, b) {
                pairs.push(Pair { a: a.min(b), b: a.max(b), kind, score });
            }
        };
        for set in self.sets.values() {
            each_pair(set, |a, b| put(a, b, Kind::SameBytes, 1.0));
        }
        for (&(a, b), link) in links {
            let of = |leader| match self.all(leader) {
                [] => vec![leader],
                all if all.len() > FEW => vec![leader],
                all => all.to_vec(),
            };
            let others = of(b);
            for a in of(a) {
                others.iter().for_each(|&b| put(a, b, link.kind, link.score));
            }
        }
        pairs.sort_unstable_by_key(|pair| (pair.a, pair.b));
        pairs
    }
}

/// All pairs of few, of many those with the first.
fn each_pair(members: &[u32], mut take: impl FnMut(u32, u32)) {
    for (place, &a) in members.iter().enumerate() {
        if place > 0 && members.len() > FEW {
            break;
        }
        members[place + 1..].iter().for_each(|&b| take(a, b));
    }
}

/// Pairs of `leaders` that show the same or look alike.
fn looked_up(
    subjects: &mut Subjects<'_>,
    leaders: &[u32],
    reach: Reach,
    request: &Request,
    watch: &dyn Watch,
) -> Result<Vec<Verified>, Error> {
    let fingerprints: Vec<Fingerprint> = leaders
        .iter()
        .map(|&index| subjects.pictures[index as usize].measured.fingerprint)
        .collect();
    let mut met = near(&fingerprints, watch)?;
    if reach == Reach::Wide {
        subjects.load(leaders, watch)?;
        watch.begin("looking for copies", Some(2 * leaders.len() as u64));
        let (looks, pictures) = (&subjects.looks, &subjects.pictures);
        let subject = |at: usize| {
            (!met.is_stood_for[at]).then(|| looks.subject(leaders[at] as usize)).flatten()
        };
        let allows = |a: u32, b: u32| {
            let picture = |at: u32| &pictures[leaders[at as usize] as usize];
            request.within != Within::Across || picture(a).side != picture(b).side
        };
        let found = wide(leaders.len(), subject, allows, watch)?;
        met.candidates.extend(found);
    }
    let mut candidates = met.candidates;
    for Candidate { wanted, found, .. } in &mut candidates {
        (*wanted, *found) = (leaders[*wanted as usize], leaders[*found as usize]);
    }
    // Copies under another class or split are let in: their leader stands for them.
    if reach == Reach::Near {
        let needed: Vec<u32> =
            candidates.iter().flat_map(|candidate| [candidate.wanted, candidate.found]).collect();
        subjects.load(&needed, watch)?;
    }
    watch.begin("comparing pictures", Some(candidates.len() as u64));
    let looks = &subjects.looks;
    let subject = |index: usize| looks.subject(index);
    let verified = verify(&candidates, subject, watch)?;
    let mut verified = looked_at_again(subjects, verified, watch)?;
    let mut more = by_way_of_a_third(&verified);
    if request.within == Within::Across {
        let side = |index: u32| subjects.pictures[index as usize].side;
        more.retain(|candidate| side(candidate.wanted) != side(candidate.found));
    }
    watch.begin("comparing pictures", Some(more.len() as u64));
    let more = looked_at_again(subjects, verify(&more, subject, watch)?, watch)?;
    // What looked alike may be the same by way of a third.
    let known: HashSet<(u32, u32)> = more.iter().map(|pair| (pair.a, pair.b)).collect();
    verified.retain(|pair| pair.kind.is_duplicate() || !known.contains(&(pair.a, pair.b)));
    verified.extend(more);
    Ok(verified)
}

/// Cosine of two frames of a moment, at least.
const MOMENT: f32 = 0.80;

/// Pairs of different pictures that are frames of one moment. Frames of a still hand are laid over each
/// other without a doubt; what has moved is nevertheless another picture. `same` are the duplicates.
fn bursts(
    subjects: &mut Subjects<'_>,
    leaders: &[u32],
    same: &HashMap<(u32, u32), Verified>,
    reach: Reach,
    watch: &dyn Watch,
) -> Result<Links, Error> {
    if reach == Reach::Same {
        return Ok(Links::new());
    }
    let files: Vec<_> =
        leaders.iter().map(|&index| subjects.pictures[index as usize].measured).collect();
    let near: Vec<(u32, u32)> = neighbours(&files)
        .into_iter()
        .map(|(a, b)| (leaders[a as usize], leaders[b as usize]))
        .filter(|pair| same.get(pair).is_none_or(|pair| !pair.is_still))
        .collect();
    let needed: Vec<u32> = near.iter().flat_map(|&(a, b)| [a, b]).collect();
    subjects.load(&needed, watch)?;
    let looks = &subjects.looks;
    let subject = |index: u32| looks.subject(index as usize);
    let alike = |&(a, b): &(u32, u32)| -> Option<((u32, u32), Link)> {
        let (first, second): (&Subject, &Subject) = (subject(a)?, subject(b)?);
        let score = moment(first, second).filter(|&score| score >= MOMENT)?;
        Some(((a, b), Link { kind: Kind::Burst, score }))
    };
    let mut found: Vec<((u32, u32), Link)> = near.par_iter().filter_map(alike).collect();
    // Frames that lie further apart than was looked belong to the same moment as those between, and
    // so do two between which nothing has moved.
    let mut moments = Sets::new(subjects.pictures.len());
    found.iter().for_each(|&((a, b), _)| moments.join(a, b));
    let known: HashSet<(u32, u32)> = found.iter().map(|&(pair, _)| pair).collect();
    let mut others: Vec<(u32, u32)> = same
        .iter()
        .filter(|(pair, same)| same.kind != Kind::SamePixels && !known.contains(pair))
        .map(|(pair, _)| *pair)
        .filter(|&(a, b)| moments.of(a) == moments.of(b))
        .collect();
    others.sort_unstable();
    subjects.load(&others.iter().flat_map(|&(a, b)| [a, b]).collect::<Vec<_>>(), watch)?;
    let looks = &subjects.looks;
    found.extend(others.into_iter().filter_map(|(a, b)| {
        let (first, second) = (looks.subject(a as usize)?, looks.subject(b as usize)?);
        Some(((a, b), Link { kind: Kind::Burst, score: moment(first, second)? }))
    }));
    Ok(found.into_iter().collect())
}

/// The groups that `pairs` make: duplicates, then bursts, then look-alikes.
fn groups(
    subjects: &Subjects<'_>,
    pairs: &[Pair],
    same: &HashMap<(u32, u32), Verified>,
    copies: &Copies,
) -> Vec<Group> {
    let worth = |index: u32| worth(subjects, copies, index);
    let rank = |index: u32| Reverse(worth(index));
    let mut room = Room::default();
    let of = |is_wanted: &dyn Fn(Kind) -> bool| -> Links {
        let wanted = pairs.iter().filter(|pair| is_wanted(pair.kind));
        wanted.map(|pair| ((pair.a, pair.b), Link { kind: pair.kind, score: pair.score })).collect()
    };
    let count = subjects.pictures.len();
    // What no search has found is laid over each other once more, by way of a third.
    let leader = |index: u32| copies.leader[index as usize];
    let mut ways: HashMap<u32, Vec<(u32, Affine)>> = HashMap::new();
    for (&(a, b), Verified { map, .. }) in same {
        ways.entry(a).or_default().push((b, *map));
        if let Some(back) = map.inverse() {
            ways.entry(b).or_default().push((a, back));
        }
    }
    ways.values_mut().for_each(|ways| ways.sort_by_key(|(to, _)| *to));
    let mut again = |a: u32, b: u32| -> Option<Link> {
        let (a, b) = (leader(a).min(leader(b)), leader(a).max(leader(b)));
        let onward: HashMap<u32, Affine> = ways.get(&b)?.iter().copied().collect();
        let (from, back) = ways
            .get(&a)?
            .iter()
            .find_map(|(third, map)| Some((map, onward.get(third)?.inverse()?)))?;
        let candidate = Candidate { wanted: a, found: b, start: Start::along(from.then(back)) };
        let (first, second) =
            (subjects.looks.subject(a as usize)?, subjects.looks.subject(b as usize)?);
        let found = of_pair(&[&candidate], first, second, &mut room)?;
        found.kind.is_duplicate().then_some(Link { kind: found.kind, score: found.verdict.score() })
    };
    let duplicates = group(count, &mut of(&Kind::is_duplicate), rank, &mut again);
    let bursts = group(count, &mut of(&|kind| kind == Kind::Burst), rank, |_, _| None);
    let alike = group(count, &mut of(&|kind| kind == Kind::LookAlike), rank, |_, _| None);
    [duplicates, bursts, alike]
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

/// Pixels, bytes, and how short the name is; the greatest is kept.
type Worth = (u64, u64, Reverse<usize>);

/// What decides which picture is kept: its pixels within the border, to a hundredth, its bytes, and how
/// short its file name is: who copies a file adds to the name.
fn worth(subjects: &Subjects<'_>, copies: &Copies, index: u32) -> Worth {
    let Picture { record, measured, .. } = subjects.pictures[index as usize];
    // Of files with the same bytes only one was looked at.
    let content = subjects.looks.content(copies.leader[index as usize] as usize);
    let share = content.map_or(1.0, |region| f64::from(region.width() * region.height()));
    let pixels = f64::from(measured.facts.width_px) * f64::from(measured.facts.height_px) * share;
    let name = record.path.file_name().chars().count();
    ((pixels.max(1.0).ln() * 100.0) as u64, record.size_bytes, Reverse(name))
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
    let why = match ranked[..] {
        [((first, ..), _), ((second, ..), _), ..] if first > second => Why::Pixels,
        [((_, first, _), _), ((_, second, _), _), ..] if first > second => Why::Bytes,
        [((.., first), _), ((.., second), _), ..] if first > second => Why::Name,
        _ => Why::Path,
    };
    let links = || members.iter().filter_map(|member| member.link);
    let mut listed: Vec<Member> = members
        .iter()
        .map(|member| Member {
            picture: member.picture,
            keep: Some(member.picture) == best,
            kind: member.link.map(|link| link.kind),
            score: member.link.map(|link| link.score),
            through: member.through,
        })
        .collect();
    listed.sort_by_key(|member| (Reverse(member.keep), member.picture));
    Group {
        kind: links().map(|link| link.kind).max().unwrap_or(Kind::SameBytes),
        score: links().map(|link| link.score).fold(1.0, f32::min),
        label_conflict: differ(members.iter().filter_map(|member| picture(member).record.class())),
        across_splits: differ(members.iter().filter_map(|member| picture(member).record.split())),
        members: listed,
        why,
    }
}
