//! The whole search: from catalogs to groups.

use std::collections::{HashMap, HashSet};

use super::answer_cache::{self, Answer};
use super::burst_by_name::by_running_names;
use super::burst_by_time::by_time;
use super::candidates::{Candidate, near, wide};
use super::clustering::Links;
use super::groups::groups;
use super::image_set::{CollectionRef, ImageRef, ImageSet};
use super::kind::Kind;
use super::null_model::Sample;
use super::originals::Maps;
use super::pair_verdicts::PairVerdict;
use super::pixels::same_pixels;
use super::report::{DuplicateReport, Pair};
use super::request::{Reach, Request};
use super::same_bytes::{Copies, each_pair};
use super::scorer::{Scorer, Verdicts};
use super::small_images::match_small;
use crate::Error;
use crate::disjoint_sets::DisjointSets;
use crate::measuring::Fingerprint;
use crate::progress::Progress;

/// Finds duplicates in one collection, or between two.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn find<'a>(
    collections: &'a [CollectionRef<'a>],
    request: &Request,
    progress: &dyn Progress,
) -> Result<DuplicateReport<'a>, Error> {
    let mut prepared = ImageSet::new(collections);
    let reach = request.reach.unwrap_or_else(|| Reach::usual(prepared.images.len()));
    // What two collections have in common is the answer of neither.
    let kept = match collections {
        [CollectionRef { store: Some(store), .. }] => {
            Some((*store, answer_cache::key(&prepared.images, request, reach)))
        }
        _ => None,
    };
    let known = kept.and_then(|(store, key)| answer_cache::hits(store, key));
    let answer = match known {
        Some(answer) => answer,
        None => {
            let answer = run_search(&mut prepared, request, reach, progress)?;
            // Where a file went away meanwhile, another run may see more.
            if let Some((store, key)) = kept.filter(|_| !prepared.lacks_files()) {
                answer_cache::keep(store, key, &answer);
            }
            answer
        }
    };
    let small = prepared.images.iter().filter(|image| image.measured.is_small()).count();
    let Answer { pairs, groups, by_name, level } = answer;
    let images = prepared.images;
    Ok(DuplicateReport { groups, pairs, images, by_name, reach, level, small: small as u64 })
}

/// The search itself.
fn run_search(
    prepared: &mut ImageSet<'_>,
    request: &Request,
    reach: Reach,
    progress: &dyn Progress,
) -> Result<Answer, Error> {
    let was = prepared.order_by_content();
    let copies = Copies::new(&prepared.images);
    let same_pixels = same_pixels(prepared, &copies.leaders, progress)?;
    let is_small = |index: &u32| prepared.images[*index as usize].measured.is_small();
    let (small, leaders): (Vec<u32>, Vec<u32>) =
        copies.leaders.iter().partition(|&one| is_small(one));
    let leaders = leaders.as_slice();
    let mut links = Links::new();
    let (mut pair_verdicts, mut level) = (Vec::new(), None);
    if reach > Reach::Exact {
        let verdicts = find_pairs(prepared, leaders, reach, request, progress)?;
        level = (!leaders.is_empty()).then(|| verdicts.levels.summary());
        pair_verdicts = verdicts.pairs;
    }
    if reach == Reach::Wide {
        let compares = |a: &ImageRef<'_>, b: &ImageRef<'_>| request.within.compares(a, b);
        let (tiny, of_small) = match_small(prepared, &small, leaders, compares, progress)?;
        pair_verdicts.extend(tiny);
        // What most images are is reported.
        if small.len() > leaders.len() {
            level = of_small;
        }
    }
    let mut same: HashMap<(u32, u32), PairVerdict> = HashMap::new();
    for found in pair_verdicts {
        links.insert((found.a, found.b), found.link());
        if found.kind.is_duplicate() {
            same.insert((found.a, found.b), found);
        }
    }
    for same_pixels in &same_pixels {
        each_pair(same_pixels, |a, b| {
            let image_pair = PairVerdict::same_pixels(a, b);
            links.insert((a, b), image_pair.link());
            same.insert((a, b), image_pair);
        });
    }
    let mut named: HashSet<(u32, u32)> = HashSet::new();
    if reach > Reach::Exact {
        for (pair, link) in by_time(prepared, leaders, &same, progress)? {
            links.insert(pair, link);
        }
    }
    if reach == Reach::Wide {
        // Copies stay copies whatever the names of their files, and what is a burst already stays one.
        let is_estimated =
            |pair: &(u32, u32)| links.get(pair).is_some_and(|link| link.kind.is_dependent());
        let mut frames = by_running_names(prepared, leaders, progress)?;
        frames.retain(|(pair, _)| !is_estimated(pair));
        named.extend(frames.iter().map(|&(pair, _)| pair));
        links.extend(frames);
    }
    without_explained(&mut links, prepared.images.len());
    // From here on as the catalog has them.
    prepared.restore(&was);
    let copies = Copies::new(&prepared.images);
    let back = |(a, b): (u32, u32)| {
        let (a, b) = (was[a as usize], was[b as usize]);
        (a.min(b), a.max(b))
    };
    let links: Links = links.into_iter().map(|(pair, link)| (back(pair), link)).collect();
    let named: HashSet<(u32, u32)> = named.into_iter().map(back).collect();
    let allows = |a: u32, b: u32| {
        let image = |index: u32| &prepared.images[index as usize];
        request.within.allows(image(a), image(b))
    };
    let mut pairs = copies.expanded(&links, allows);
    pairs.retain(|pair| request.kinds.is_empty() || request.kinds.contains(&pair.kind));
    let is_named = |pair: &&Pair| {
        let (a, b) = (copies.leader[pair.a as usize], copies.leader[pair.b as usize]);
        pair.kind == Kind::Burst && named.contains(&(a.min(b), a.max(b)))
    };
    let by_name = pairs.iter().filter(is_named).map(|pair| (pair.a, pair.b)).collect();
    let maps = same.into_values().filter_map(|found| {
        let (a, b) = (was[found.a as usize], was[found.b as usize]);
        Some(((a.min(b), a.max(b)), if a < b { found.map } else { found.map.inverse()? }))
    });
    let groups = groups(prepared, &mut pairs, &copies, &Maps(maps.collect()), progress)?;
    Ok(Answer { pairs, groups, by_name, level })
}

/// Takes out variants and look-alikes that copies and bursts explain: two copies of a third image look alike, and so do
/// two frames of its burst.
fn without_explained(links: &mut Links, images: usize) {
    let mut explained = DisjointSets::new(images);
    for ((a, b), _) in links.iter().filter(|(_, link)| link.kind.is_dependent()) {
        explained.union(*a, *b);
    }
    links
        .retain(|&(a, b), link| link.kind.is_dependent() || explained.find(a) != explained.find(b));
}

/// The records of two images, and the numbers that are weighed.
pub type Weighed = ([usize; 2], Vec<f32>);

/// All that is weighed of each pair of one collection that seems to be the same, for fitting what it weighs: the records
/// of both, and the numbers.
///
/// # Errors
///
/// When `progress` asks to stop.
pub fn weighed(
    collection: &CollectionRef<'_>,
    progress: &dyn Progress,
) -> Result<Vec<Weighed>, Error> {
    let mut prepared = ImageSet::new(std::slice::from_ref(collection));
    prepared.order_by_content();
    let leaders: Vec<u32> = Copies::new(&prepared.images).leaders;
    let is_small = |index: u32| prepared.images[index as usize].measured.is_small();
    let leaders: Vec<u32> = leaders.into_iter().filter(|&index| !is_small(index)).collect();
    let candidates =
        candidates(&mut prepared, &leaders, Reach::Wide, &Request::default(), progress)?;
    let digest = |index: u32| prepared.images[index as usize].measured.digest;
    let sample = Sample::new(&leaders, digest);
    let judge = Scorer { prepared: &prepared, sample: &sample, progress };
    let record = |index: u32| prepared.images[index as usize].index;
    let compared = judge.compared(&candidates)?.0;
    let rows = compared
        .into_iter()
        .map(|(pair, compared)| ([record(pair.a), record(pair.b)], compared.to_array().to_vec()));
    Ok(rows.collect())
}

/// Pairs of `leaders` that show the same or look alike.
fn find_pairs(
    prepared: &mut ImageSet<'_>,
    leaders: &[u32],
    reach: Reach,
    request: &Request,
    progress: &dyn Progress,
) -> Result<Verdicts, Error> {
    let candidates = candidates(prepared, leaders, reach, request, progress)?;
    let digest = |index: u32| prepared.images[index as usize].measured.digest;
    let sample = Sample::new(leaders, digest);
    // Copies under another class or split are let in: their leader stands for them.
    if reach == Reach::Near {
        let needed: Vec<u32> =
            candidates.iter().flat_map(|candidate| [candidate.wanted, candidate.found]).collect();
        prepared.load(&needed, progress)?;
        prepared.load(&sample.sample, progress)?;
    }
    let image = |index: u32| &prepared.images[index as usize];
    let judge = Scorer { prepared, sample: &sample, progress };
    judge.verdicts(&candidates, |a, b| request.within.compares(image(a), image(b)))
}

/// Pairs of `leaders` that are worth laying over each other.
fn candidates(
    prepared: &mut ImageSet<'_>,
    leaders: &[u32],
    reach: Reach,
    request: &Request,
    progress: &dyn Progress,
) -> Result<Vec<Candidate>, Error> {
    let fingerprints: Vec<Fingerprint> =
        leaders.iter().map(|&index| prepared.images[index as usize].measured.fingerprint).collect();
    let mut met = near(&fingerprints, progress)?;
    if reach == Reach::Wide {
        prepared.load(leaders, progress)?;
        progress.begin("searching for duplicates", Some(2 * leaders.len() as u64));
        let (looks, images) = (&prepared.looks, &prepared.images);
        let image_at = |at: usize| {
            (!met.is_represented[at]).then(|| looks.image_at(leaders[at] as usize)).flatten()
        };
        let allows = |a: u32, b: u32| {
            let image = |at: u32| &images[leaders[at as usize] as usize];
            request.within.compares(image(a), image(b))
        };
        let found = wide(leaders.len(), image_at, allows, progress)?;
        met.candidates.extend(found);
    }
    let mut candidates = met.candidates;
    for Candidate { wanted, found, .. } in &mut candidates {
        (*wanted, *found) = (leaders[*wanted as usize], leaders[*found as usize]);
    }
    Ok(candidates)
}
