//! The whole search: from catalogs to groups.

use std::collections::{HashMap, HashSet};

use super::burst::by_time;
use super::candidates::{Candidate, near, wide};
use super::found::{Found, Pair};
use super::grouping::{Link, Links};
use super::groups::groups;
use super::judged::Judged;
use super::judging::{Judging, Verdicts};
use super::kept::{self, Answer};
use super::kind::Kind;
use super::levels::Crowd;
use super::pixels::same_pixels;
use super::request::{Reach, Request};
use super::runs::by_running_names;
use super::same_bytes::{Copies, each_pair};
use super::subjects::{Picture, Side, Subjects};
use super::tiny::nearly_equal;
use crate::Error;
use crate::measuring::Fingerprint;
use crate::progress::Watch;

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
