//! What is said of one pair.

use super::clustering::Link;
use super::kind::Kind;
use super::prior::{PriorShift, ScoredPair};
use super::verify::TentativeMatch;
use crate::affine::Affine;
use crate::likeness::{CloseComparison, ImagePyramid};

/// Log odds of a pair of which one image was made again from the other: a chance of 0.999. What remains is that two
/// different images are alike to the last level of every pixel.
pub const REPLAYED: f32 = 6.906_755;

/// Two images and what is said of them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PairVerdict {
    /// The first image, the smaller number.
    pub a: u32,
    /// The second.
    pub b: u32,
    /// In which way they go together.
    pub kind: Kind,
    /// Log odds that they are copies of one.
    pub log_odds: f32,
    /// From the first to the second.
    pub map: Affine,
    /// Whether nothing has moved and nearly every detail is the same: not another frame.
    pub is_still: bool,
    /// Whether one of them can be made again from the other.
    pub is_replayed: bool,
}

impl PairVerdict {
    /// Two images with the same pixels.
    pub fn same_pixels(a: u32, b: u32) -> Self {
        let (kind, log_odds) = (Kind::SamePixels, f32::INFINITY);
        let (is_still, is_replayed) = (true, true);
        PairVerdict { a, b, kind, log_odds, map: Affine::IDENTITY, is_still, is_replayed }
    }

    /// What groups are made of.
    pub fn link(&self) -> Link {
        Link { kind: self.kind, score: self.score(), is_replayed: self.is_replayed }
    }

    /// The chance that they are copies of one, 0 to 1.
    pub fn score(&self) -> f32 {
        1.0 / (1.0 + (-self.log_odds).exp())
    }

    /// What all that is known of a pair says; none where they are not even alike.
    pub fn new(
        pair: &TentativeMatch,
        compared: &CloseComparison,
        odds: &PriorShift,
        [first, second]: [&ImagePyramid; 2],
    ) -> Option<Self> {
        let TentativeMatch { a, b, map, is_still, .. } = *pair;
        let log_odds = log_odds(pair, compared, odds);
        let kind = Kind::classify(log_odds, compared, &pair.placing(first, second))?;
        let is_replayed = compared.is_replayed;
        Some(PairVerdict { a, b, kind, log_odds, map, is_still, is_replayed })
    }
}

/// Log odds that the two images of a pair are copies of one.
pub fn log_odds(pair: &TentativeMatch, compared: &CloseComparison, odds: &PriorShift) -> f32 {
    let weighed = odds.log_odds(&raw(pair, compared));
    if compared.is_replayed { weighed.max(REPLAYED) } else { weighed }
}

/// What is judged of a pair before it is known what others there are.
pub fn raw(pair: &TentativeMatch, compared: &CloseComparison) -> ScoredPair {
    ScoredPair {
        pair: [pair.a, pair.b],
        log_odds: compared.log_odds(),
        is_plain: compared.is_plain(),
        is_turned: compared.is_turned(),
    }
}
