//! What is said of one pair.

use super::kind::Kind;
use super::odds::{Odds, Raw};
use super::verify::TentativeMatch;
use crate::affine::Affine;
use crate::likeness::{CloseComparison, PreparedImage};

/// Two pictures and what is said of them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PairVerdict {
    /// The first picture, the smaller number.
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
}

impl PairVerdict {
    /// Two pictures with the same pixels.
    pub fn same_pixels(a: u32, b: u32) -> Self {
        let (kind, log_odds) = (Kind::SamePixels, f32::INFINITY);
        PairVerdict { a, b, kind, log_odds, map: Affine::IDENTITY, is_still: true }
    }

    /// The chance that they are copies of one, 0 to 1.
    pub fn score(&self) -> f32 {
        1.0 / (1.0 + (-self.log_odds).exp())
    }

    /// What all that is known of a pair says; none where they are not even alike.
    pub fn new(
        pair: &TentativeMatch,
        compared: &CloseComparison,
        odds: &Odds,
        [first, second]: [&PreparedImage; 2],
    ) -> Option<Self> {
        let TentativeMatch { a, b, map, is_still, .. } = *pair;
        let log_odds = odds.log_odds(&raw(pair, compared));
        let kind = Kind::classify(log_odds, compared, &pair.placing(first, second))?;
        Some(PairVerdict { a, b, kind, log_odds, map, is_still })
    }
}

/// What is judged of a pair before it is known what others there are.
pub fn raw(pair: &TentativeMatch, compared: &CloseComparison) -> Raw {
    Raw {
        pair: [pair.a, pair.b],
        log_odds: compared.log_odds(),
        is_plain: compared.is_plain(),
        is_turned: compared.is_turned(),
    }
}
