//! From candidates to verdicts: what is the same, in which way, and how sure that is.

use std::collections::HashSet;

use super::candidates::Candidate;
use super::image_set::ImageSet;
use super::kind::CERTAIN;
use super::null_model::{NullModel, Sample};
use super::pair_verdicts::{PairVerdict, log_odds, raw};
use super::prior::{LocalOdds, ScoredPair};
use super::recheck;
use super::replaying::{Placed, replayed};
use super::transitive::transitive_candidates;
use super::verify::{TentativeMatch, verify};
use crate::Error;
use crate::likeness::CloseComparison;
use crate::progress::Progress;

/// Candidates, looked at.
pub struct Scorer<'s, 'a> {
    pub prepared: &'s ImageSet<'a>,
    /// The images of the collection.
    pub sample: &'s Sample<'s>,
    pub progress: &'s dyn Progress,
}

/// All pairs that are worth saying something of.
pub struct Verdicts {
    /// By their numbers.
    pub pairs: Vec<PairVerdict>,
    /// How alike different images get.
    pub levels: NullModel,
}

impl Scorer<'_, '_> {
    /// Those of `candidates` that are the same or alike, and pairs that are so by way of a third image, as far as
    /// `allows`.
    ///
    /// # Errors
    ///
    /// When somebody asks to stop.
    pub fn verdicts(
        &self,
        candidates: &[Candidate],
        allows: impl Fn(u32, u32) -> bool,
    ) -> Result<Verdicts, Error> {
        let (mut compared, levels) = self.compared(candidates)?;
        let raw: Vec<ScoredPair> =
            compared.iter().map(|(pair, compared)| raw(pair, compared)).collect();
        let odds = LocalOdds::new(&raw);
        self.replay(&mut compared, &odds)?;
        let mut pairs = self.pair_verdicts(&compared, &odds);
        let mut more = transitive_candidates(&pairs);
        more.retain(|candidate| allows(candidate.wanted, candidate.found));
        let mut more =
            recheck::compared(self.prepared, &self.tentative(&more)?, &levels, self.progress)?;
        self.replay(&mut more, &odds)?;
        let more = self.pair_verdicts(&more, &odds);
        // What looked alike may be the same by way of a third.
        let known: HashSet<(u32, u32)> = more.iter().map(|pair| (pair.a, pair.b)).collect();
        pairs.retain(|pair| pair.kind.is_duplicate() || !known.contains(&(pair.a, pair.b)));
        pairs.extend(more);
        Ok(Verdicts { pairs, levels })
    }

    /// What is known of those of `candidates` that seem to be the same, and how alike different images get.
    ///
    /// # Errors
    ///
    /// When somebody asks to stop.
    pub fn compared(
        &self,
        candidates: &[Candidate],
    ) -> Result<(Vec<(TentativeMatch, CloseComparison)>, NullModel), Error> {
        let tentative = self.tentative(candidates)?;
        let mut asked: Vec<u32> = tentative.iter().flat_map(|pair| [pair.a, pair.b]).collect();
        asked.sort_unstable();
        asked.dedup();
        let alike = tentative.iter().filter(|pair| pair.verdict.is_conclusive());
        let alike = alike.map(|pair| (pair.a, pair.b));
        let looks = &self.prepared.looks;
        let image_at = |index: u32| looks.image_at(index as usize);
        let levels = NullModel::new(self.sample, image_at, alike, &asked, self.progress)?;
        Ok((recheck::compared(self.prepared, &tentative, &levels, self.progress)?, levels))
    }

    fn tentative(&self, candidates: &[Candidate]) -> Result<Vec<TentativeMatch>, Error> {
        self.progress.begin("comparing images", Some(candidates.len() as u64));
        let looks = &self.prepared.looks;
        verify(candidates, |index| looks.image_at(index), self.progress)
    }

    /// Makes again what is in doubt.
    fn replay(
        &self,
        compared: &mut [(TentativeMatch, CloseComparison)],
        odds: &LocalOdds,
    ) -> Result<(), Error> {
        let is_open = |pair: &TentativeMatch, compared: &CloseComparison| {
            log_odds(pair, compared, odds.of(pair.a)) < CERTAIN
        };
        let open: Vec<usize> = (0..compared.len())
            .filter(|&at| {
                let (pair, compared) = &compared[at];
                compared.is_worth_replaying() && is_open(pair, compared)
            })
            .collect();
        let placed = |&at: &usize| {
            let TentativeMatch { a, b, map, .. } = compared[at].0;
            Placed { pair: [a, b], map }
        };
        let placed: Vec<Placed> = open.iter().map(placed).collect();
        let proven = replayed(self.prepared, &placed, self.progress)?;
        open.into_iter().zip(proven).for_each(|(at, is)| compared[at].1.is_replayed = is);
        Ok(())
    }

    fn pair_verdicts(
        &self,
        compared: &[(TentativeMatch, CloseComparison)],
        odds: &LocalOdds,
    ) -> Vec<PairVerdict> {
        let image_at = |index: u32| self.prepared.looks.image_at(index as usize);
        let pair_verdicts = compared.iter().filter_map(|(pair, compared)| {
            PairVerdict::new(
                pair,
                compared,
                odds.of(pair.a),
                [image_at(pair.a)?, image_at(pair.b)?],
            )
        });
        pair_verdicts.collect()
    }
}
