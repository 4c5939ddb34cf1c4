//! The whole search: from catalogs to groups.

use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap, HashSet};

use serde::{Deserialize, Serialize};

use super::burst::by_time;
use super::candidates::{Candidate, FEW, near, wide};
use super::grouping::{Link, Links, Membership, families, group};
use super::judging::{Judged, Judging, Verdicts};
use super::kept::{self, Answer};
use super::kind::Kind;
use super::levels::{Crowd, Level};
use super::naming::{Naming, Plainness};
use super::pixels::same_pixels;
use super::runs::by_running_names;
use super::subjects::{Picture, Side, Subjects};
use super::tiny::nearly_equal;
use crate::Error;
use crate::measuring::{Digest, Fingerprint};
use crate::progress::Watch;

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

    /// Whether two pictures are compared at all. Those of other classes or splits are: their copies may be allowed.
    fn compares(self, a: &Picture<'_>, b: &Picture<'_>) -> bool {
        self != Within::Across || a.side != b.side
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
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
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
    /// size. Copies come before bursts, bursts before variants of one design, and those before look-alikes.
    pub groups: Vec<Group>,
    /// Pairs of pictures that are frames of one moment by their running names, not by their times; sorted.
    pub by_name: Vec<(u32, u32)>,
    /// How far was looked.
    pub reach: Reach,
    /// How alike different pictures of the collection get, of small ones or of others, whichever are more; none where only
    /// bytes and pixels were compared.
    pub level: Option<Level>,
    /// How many pictures are small, so that only their bytes and pixels were compared.
    pub small: u64,
}

/// Pictures that go together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Group {
    /// The least sure kind in it.
    pub kind: Kind,
    /// The least score in it.
    pub score: f32,
    /// Whether its pictures have different classes.
    pub label_conflict: bool,
    /// Whether its pictures are in different splits.
    pub across_splits: bool,
    /// Its pictures, the best one first.
    pub members: Vec<Member>,
    /// Why that one is to be kept; none where all are, since they are no copies.
    pub why: Option<Why>,
}

/// Pictures from which variants of one design are a series.
const SERIES: usize = 6;

impl Group {
    /// Whether it holds more than a handful of variants of one design, which are told once.
    pub fn is_series(&self) -> bool {
        self.kind.is_variant() && self.members.len() >= SERIES
    }
}

/// Why a picture is the one to keep.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Why {
    /// It has the most pixels, borders left out.
    Pixels,
    /// Of those with as many pixels it has the most bytes.
    Bytes,
    /// Its file name is the plainest: like others of its folder but for the number, or else the shortest.
    Name,
    /// It comes first by its path; nothing else tells them apart.
    Path,
}

/// A picture of a group.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Member {
    /// Its number in [`Found::pictures`].
    pub picture: u32,
    /// Whether it is to be kept: of copies the best one, all of others.
    pub keep: bool,
    /// How it goes with the picture that the group was built around; that one itself has none.
    pub kind: Option<Kind>,
    /// The score of that.
    pub score: Option<f32>,
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
    // What two collections have in common is the answer of neither.
    let kept = match sides {
        [Side { store: Some(store), .. }] => {
            Some((*store, kept::key(&subjects.pictures, request, reach)))
        }
        _ => None,
    };
    let known = kept.and_then(|(store, key)| kept::recalled(store, key));
    let answer = match known {
        Some(answer) => answer,
        None => {
            let answer = searched(&mut subjects, request, reach, watch)?;
            // Where a file went away meanwhile, another run may see more.
            if let Some((store, key)) = kept.filter(|_| !subjects.lacks_files()) {
                kept::keep(store, key, &answer);
            }
            answer
        }
    };
    let small = subjects.pictures.iter().filter(|picture| picture.measured.is_small()).count();
    let Answer { pairs, groups, by_name, level } = answer;
    let pictures = subjects.pictures;
    Ok(Found { groups, pairs, pictures, by_name, reach, level, small: small as u64 })
}

/// The search itself.
fn searched(
    subjects: &mut Subjects<'_>,
    request: &Request,
    reach: Reach,
    watch: &dyn Watch,
) -> Result<Answer, Error> {
    let was = subjects.order_by_content();
    let copies = Copies::of(&subjects.pictures);
    let twins = same_pixels(subjects, &copies.leaders, watch)?;
    let is_small = |index: &u32| subjects.pictures[*index as usize].measured.is_small();
    let (small, leaders): (Vec<u32>, Vec<u32>) =
        copies.leaders.iter().partition(|&one| is_small(one));
    let leaders = leaders.as_slice();
    let mut links = Links::new();
    let (mut judged, mut level) = (Vec::new(), None);
    if reach > Reach::Same {
        let verdicts = looked_up(subjects, leaders, reach, request, watch)?;
        level = (!leaders.is_empty()).then(|| verdicts.levels.summary());
        judged = verdicts.pairs;
    }
    if reach == Reach::Wide {
        let compares = |a: &Picture<'_>, b: &Picture<'_>| request.within.compares(a, b);
        let (tiny, of_small) = nearly_equal(subjects, &small, leaders, compares, watch)?;
        judged.extend(tiny);
        // What most pictures are is told.
        if small.len() > leaders.len() {
            level = of_small;
        }
    }
    let mut same: HashMap<(u32, u32), Judged> = HashMap::new();
    for found in judged {
        links.insert((found.a, found.b), Link { kind: found.kind, score: found.score() });
        if found.kind.is_duplicate() {
            same.insert((found.a, found.b), found);
        }
    }
    for twins in &twins {
        each_pair(twins, |a, b| {
            let twin = Judged::twins(a, b);
            links.insert((a, b), Link { kind: twin.kind, score: twin.score() });
            same.insert((a, b), twin);
        });
    }
    let mut named: HashSet<(u32, u32)> = HashSet::new();
    if reach > Reach::Same {
        for (pair, link) in by_time(subjects, leaders, &same, watch)? {
            links.insert(pair, link);
        }
    }
    if reach == Reach::Wide {
        // Copies stay copies whatever the names of their files, and what is a burst already stays one.
        let is_told =
            |pair: &(u32, u32)| links.get(pair).is_some_and(|link| link.kind.is_dependent());
        let mut frames = by_running_names(subjects, leaders, watch)?;
        frames.retain(|(pair, _)| !is_told(pair));
        named.extend(frames.iter().map(|&(pair, _)| pair));
        links.extend(frames);
    }
    // From here on as the catalog has them.
    subjects.restore(&was);
    let copies = Copies::of(&subjects.pictures);
    let back = |(a, b): (u32, u32)| {
        let (a, b) = (was[a as usize], was[b as usize]);
        (a.min(b), a.max(b))
    };
    let links: Links = links.into_iter().map(|(pair, link)| (back(pair), link)).collect();
    let named: HashSet<(u32, u32)> = named.into_iter().map(back).collect();
    let allows = |a: u32, b: u32| {
        let picture = |index: u32| &subjects.pictures[index as usize];
        request.within.allows(picture(a), picture(b))
    };
    let mut pairs = copies.expanded(&links, allows);
    pairs.retain(|pair| request.kinds.is_empty() || request.kinds.contains(&pair.kind));
    let is_named = |pair: &&Pair| {
        let (a, b) = (copies.leader[pair.a as usize], copies.leader[pair.b as usize]);
        pair.kind == Kind::Burst && named.contains(&(a.min(b), a.max(b)))
    };
    let by_name = pairs.iter().filter(is_named).map(|pair| (pair.a, pair.b)).collect();
    let groups = groups(subjects, &pairs, &copies);
    Ok(Answer { pairs, groups, by_name, level })
}

/// The records of two pictures, and the numbers that are weighed.
pub type Weighed = ([usize; 2], Vec<f32>);

/// All that is weighed of each pair of one collection that seems to be the same, for fitting what it weighs: the records
/// of both, and the numbers.
///
/// # Errors
///
/// When `watch` asks to stop.
pub fn weighed(side: &Side<'_>, watch: &dyn Watch) -> Result<Vec<Weighed>, Error> {
    let mut subjects = Subjects::of(std::slice::from_ref(side));
    subjects.order_by_content();
    let leaders: Vec<u32> = Copies::of(&subjects.pictures).leaders;
    let is_small = |index: u32| subjects.pictures[index as usize].measured.is_small();
    let leaders: Vec<u32> = leaders.into_iter().filter(|&index| !is_small(index)).collect();
    let candidates = candidates(&mut subjects, &leaders, Reach::Wide, &Request::default(), watch)?;
    let digest = |index: u32| subjects.pictures[index as usize].measured.digest;
    let crowd = Crowd::of(&leaders, digest);
    let judging = Judging { subjects: &subjects, crowd: &crowd, watch };
    let record = |index: u32| subjects.pictures[index as usize].index;
    let examined = judging.examined(&candidates)?.0;
    let rows = examined
        .into_iter()
        .map(|(pair, examined)| ([record(pair.a), record(pair.b)], examined.numbers().to_vec()));
    Ok(rows.collect())
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
) -> Result<Verdicts, Error> {
    let candidates = candidates(subjects, leaders, reach, request, watch)?;
    let digest = |index: u32| subjects.pictures[index as usize].measured.digest;
    let crowd = Crowd::of(leaders, digest);
    // Copies under another class or split are let in: their leader stands for them.
    if reach == Reach::Near {
        let needed: Vec<u32> =
            candidates.iter().flat_map(|candidate| [candidate.wanted, candidate.found]).collect();
        subjects.load(&needed, watch)?;
        subjects.load(&crowd.sample, watch)?;
    }
    let picture = |index: u32| &subjects.pictures[index as usize];
    let judging = Judging { subjects, crowd: &crowd, watch };
    judging.verdicts(&candidates, |a, b| request.within.compares(picture(a), picture(b)))
}

/// Pairs of `leaders` that are worth laying over each other.
fn candidates(
    subjects: &mut Subjects<'_>,
    leaders: &[u32],
    reach: Reach,
    request: &Request,
    watch: &dyn Watch,
) -> Result<Vec<Candidate>, Error> {
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
            request.within.compares(picture(a), picture(b))
        };
        let found = wide(leaders.len(), subject, allows, watch)?;
        met.candidates.extend(found);
    }
    let mut candidates = met.candidates;
    for Candidate { wanted, found, .. } in &mut candidates {
        (*wanted, *found) = (leaders[*wanted as usize], leaders[*found as usize]);
    }
    Ok(candidates)
}

/// The groups that `pairs` make: duplicates, then bursts, then look-alikes.
fn groups(subjects: &Subjects<'_>, pairs: &[Pair], copies: &Copies) -> Vec<Group> {
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
