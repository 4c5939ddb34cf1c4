//! From candidates to verdicts: what is the same, in which way, and how sure that is.

use std::collections::HashSet;

use super::candidates::Candidate;
use super::close_looks;
use super::closing::by_way_of_a_third;
use super::judged::{Judged, raw};
use super::levels::{Crowd, Levels};
use super::odds::{Odds, Raw};
use super::subjects::Subjects;
use super::verify::{Seeming, verify};
use crate::Error;
use crate::likeness::Examined;
use crate::progress::Watch;

/// Candidates, looked at.
pub struct Judging<'s, 'a> {
    pub subjects: &'s Subjects<'a>,
    /// The pictures of the collection.
    pub crowd: &'s Crowd<'s>,
    pub watch: &'s dyn Watch,
}

/// All pairs that are worth saying something of.
pub struct Verdicts {
    /// By their numbers.
    pub pairs: Vec<Judged>,
    /// How alike different pictures get.
    pub levels: Levels,
}

impl Judging<'_, '_> {
    /// Those of `candidates` that are the same or alike, and pairs that are so by way of a third picture, as far as
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
        let (examined, levels) = self.examined(candidates)?;
        let raw: Vec<Raw> = examined.iter().map(|(pair, examined)| raw(pair, examined)).collect();
        let odds = Odds::of(&raw);
        let mut pairs = self.judged(&examined, &odds);
        let mut more = by_way_of_a_third(&pairs);
        more.retain(|candidate| allows(candidate.wanted, candidate.found));
        let more = self.judged(
            &close_looks::examined(self.subjects, &self.seeming(&more)?, &levels, self.watch)?,
            &odds,
        );
        // What looked alike may be the same by way of a third.
        let known: HashSet<(u32, u32)> = more.iter().map(|pair| (pair.a, pair.b)).collect();
        pairs.retain(|pair| pair.kind.is_duplicate() || !known.contains(&(pair.a, pair.b)));
        pairs.extend(more);
        Ok(Verdicts { pairs, levels })
    }

    /// What is known of those of `candidates` that seem to be the same, and how alike different pictures get.
    ///
    /// # Errors
    ///
    /// When somebody asks to stop.
    pub fn examined(
        &self,
        candidates: &[Candidate],
    ) -> Result<(Vec<(Seeming, Examined)>, Levels), Error> {
        let seeming = self.seeming(candidates)?;
        let mut asked: Vec<u32> = seeming.iter().flat_map(|pair| [pair.a, pair.b]).collect();
        asked.sort_unstable();
        asked.dedup();
        let alike = seeming.iter().filter(|pair| pair.verdict.is_plenty());
        let alike = alike.map(|pair| (pair.a, pair.b));
        let looks = &self.subjects.looks;
        let subject = |index: u32| looks.subject(index as usize);
        let levels = Levels::of(self.crowd, subject, alike, &asked, self.watch)?;
        Ok((close_looks::examined(self.subjects, &seeming, &levels, self.watch)?, levels))
    }

    fn seeming(&self, candidates: &[Candidate]) -> Result<Vec<Seeming>, Error> {
        self.watch.begin("comparing pictures", Some(candidates.len() as u64));
        let looks = &self.subjects.looks;
        verify(candidates, |index| looks.subject(index), self.watch)
    }

    fn judged(&self, examined: &[(Seeming, Examined)], odds: &Odds) -> Vec<Judged> {
        let subject = |index: u32| self.subjects.looks.subject(index as usize);
        let judged = examined.iter().filter_map(|(pair, examined)| {
            Judged::of(pair, examined, odds, [subject(pair.a)?, subject(pair.b)?])
        });
        judged.collect()
    }
}
