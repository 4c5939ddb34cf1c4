//! Laying candidates over each other: which of them show the same.

use rayon::prelude::*;

use super::candidates::Candidate;
use super::kind::Kind;
use crate::Error;
use crate::affine::Affine;
use crate::likeness::{Placing, Region, Room, Start, Subject, Verdict, compare};
use crate::progress::Watch;

/// Two pictures that surely show the same, look alike, or may do so on a second look.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Verified {
    /// The first picture, the smaller number.
    pub a: u32,
    /// The second.
    pub b: u32,
    /// In which way.
    pub kind: Kind,
    /// How sure it is.
    pub verdict: Verdict,
    /// In how many ways one was changed to lie on the other, 0 to 4.
    pub departures: u8,
    /// The larger share of one colour of the two, 0 to 1.
    pub plain: f32,
    /// Whether a mark may lie on one of them.
    pub may_be_marked: bool,
    /// From the first to the second.
    pub map: Affine,
    /// Whether nothing has moved and nearly every detail is the same: not another frame.
    pub is_still: bool,
}

impl Verified {
    /// Two pictures with the same pixels.
    pub fn twins(a: u32, b: u32) -> Self {
        let map = Affine::IDENTITY;
        let verdict = Verdict { log_odds: f32::INFINITY };
        Verified {
            a,
            b,
            kind: Kind::SamePixels,
            verdict,
            departures: 0,
            plain: 1.0,
            may_be_marked: false,
            map,
            is_still: true,
        }
    }

    /// Whether close-ups may change the answer.
    pub fn is_worth_a_second_look(&self) -> bool {
        self.verdict.is_worth_a_second_look(self.plain, self.may_be_marked)
    }

    /// The same with another verdict.
    pub fn judged(self, verdict: Verdict, first: &Subject, second: &Subject) -> Self {
        let kind = if verdict.is_certain() {
            let content = |subject: &Subject| subject.content.unwrap_or(Region::WHOLE);
            let contents = [content(first), content(second)];
            Kind::of(&Placing::of(&self.map, [first.aspect, second.aspect], contents))
        } else {
            Kind::LookAlike
        };
        Verified { kind, verdict, ..self }
    }
}

/// Those of `candidates` that show the same, look alike or may do so on a second look, by their numbers.
/// `subject` gives the planes of a picture.
///
/// # Errors
///
/// When `watch` asks to stop.
pub fn verify<'a>(
    candidates: &[Candidate],
    subject: impl Fn(usize) -> Option<&'a Subject> + Sync,
    watch: &dyn Watch,
) -> Result<Vec<Verified>, Error> {
    // All that may show how two pictures lie on each other, together, and pair after pair.
    let key = |candidate: &Candidate| {
        let (a, b) = (candidate.wanted, candidate.found);
        (a.min(b), a.max(b))
    };
    let mut order: Vec<&Candidate> = candidates.iter().collect();
    order.sort_by_key(|candidate| key(candidate));
    let by_first: Vec<&[&Candidate]> = order.chunk_by(|a, b| key(a).0 == key(b).0).collect();
    let verified = by_first.par_iter().map_init(Room::default, |room, candidates| {
        if watch.stopped() {
            return Err(Error::Interrupted);
        }
        watch.advance(candidates.len() as u64);
        let Some(first) = subject(key(candidates[0]).0 as usize) else { return Ok(Vec::new()) };
        let pairs = candidates.chunk_by(|a, b| key(a).1 == key(b).1);
        let verified = pairs.filter_map(|pair| {
            let second = subject(key(pair[0]).1 as usize)?;
            of_pair(pair, first, second, room)
        });
        Ok(verified.collect())
    });
    let verified: Vec<Vec<Verified>> = verified.collect::<Result<_, Error>>()?;
    Ok(verified.into_iter().flatten().collect())
}

/// The share of a side by which two ways of lying on each other are still one.
const SAME_WAY: f64 = 1e-3;

/// What the likeliest way to lie on each other says of two pictures, which all of `pair` are about;
/// `first` is the one with the smaller number.
pub fn of_pair(
    pair: &[&Candidate],
    first: &Subject,
    second: &Subject,
    room: &mut Room,
) -> Option<Verified> {
    let (a, b) = (pair[0].wanted.min(pair[0].found), pair[0].wanted.max(pair[0].found));
    let plain = first.plain.max(second.plain);
    let mut attempt = |from_first: bool, start: &Start| {
        let (wanted, found) = if from_first { (first, second) } else { (second, first) };
        let evidence = compare(wanted, found, start, room)?;
        let map = if from_first { evidence.map } else { evidence.map.inverse()? };
        let (verdict, departures) = (Verdict::of(&evidence, plain), evidence.departures);
        let (may_be_marked, is_still) = (evidence.may_be_marked(), evidence.is_still());
        let kind = Kind::LookAlike;
        Some(Verified { a, b, kind, verdict, departures, plain, may_be_marked, map, is_still })
    };
    let mut best: Option<Verified> = None;
    let mut keep = |tried: Option<Verified>| {
        if let Some(Verified { verdict, .. }) = tried
            && best.is_none_or(|known| verdict.log_odds > known.verdict.log_odds)
        {
            best = tried;
        }
        best
    };
    // Two whole pictures find each other in the same way: one of them is asked, and in doubt the other.
    let mut ways: Vec<(bool, Affine)> = Vec::new();
    for candidate in pair {
        if let Some(way) = candidate.start.way(candidate.wanted == a) {
            if ways.iter().any(|known| known.0 == way.0 && known.1.is_near(way.1, SAME_WAY)) {
                continue;
            }
            ways.push(way);
        }
        let known = keep(attempt(candidate.wanted == a, &candidate.start));
        if known.is_some_and(|known| known.verdict.is_certain()) {
            break;
        }
    }
    // In doubt, the whole of each is laid over the other, where it was found to lie.
    if let Some(Verified { verdict, map, .. }) = keep(None)
        && verdict.is_in_doubt()
    {
        keep(attempt(true, &Start::along(map)));
        keep(map.inverse().and_then(|back| attempt(false, &Start::along(back))));
    }
    let best = best.filter(|pair| pair.verdict.is_alike() || pair.is_worth_a_second_look())?;
    Some(best.judged(best.verdict, first, second))
}
