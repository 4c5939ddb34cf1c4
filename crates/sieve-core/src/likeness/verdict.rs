//! How sure it is that two pictures show the same.
//!
//! `scripts/fit-likeness.py` fitted the weights to pairs of pictures and known copies of them, and says how.

use super::evidence::{EVIDENCE, Evidence, FITTING, QUARTER};
use super::weights::Weights;

/// Log odds from which two pictures count as the same: a chance of 0.978. docs/duplicates.md says how
/// many copies and how many others are above.
pub const CERTAIN: f32 = 3.8;
/// What each way of changing a picture beyond the first takes from the log odds: copies are mirrored,
/// tilted, cropped or squeezed, but seldom two of these at once, while single things on plain ground
/// fit each other once all may be done. Set on the made-up leaves of the demo.
const DEPARTURE: f32 = 2.5;
/// Log odds from which two pictures look alike: a chance of 0.88.
const ALIKE: f32 = 2.0;

/// The share of one colour above which a picture is drawn on plain ground, as far as anybody can tell:
/// most drawings and emoji have more, three photographs in four less.
const PLAIN: f32 = 0.2;
/// What pictures without plain ground get on top, once they look alike. The weights were fitted on drawings
/// that differ in one part, too, and are too careful where every part has something to see.
const TEXTURED: f32 = CERTAIN - ALIKE;
/// From where grain and texture tell that such pictures are the same, whatever mark lies on one: their
/// share of the samples that fit, their correlation, that of the part below which a quarter lie, and
/// the share of samples that fit at all.
const GRAIN: [f32; 4] = [0.05, 0.9, 0.8, 0.8];

/// Sums that the evidence is brought to: those of four fits.
const HIDDEN: usize = 48;

/// Log odds by which another start may change a verdict.
const DOUBT: f32 = 2.5;
/// The share of one colour from which close-ups are asked of marks only: drawings on wide plain ground, clocks at other
/// hours and letters with other accents, fit nearly as well as copies do, and leave many times as many doubts as all
/// others, each of which costs two files to be read.
pub const BARE: f32 = 0.5;
/// Log odds from which close-ups may change a verdict.
const WORTH_A_LOOK: f32 = 0.5;

include!("coefficients.rs");

/// Whether a glance is worth a close look.
pub fn is_promising(glance: &Evidence) -> bool {
    GLANCE.log_odds(&glance.numbers) > PROMISING
}

/// What the evidence says.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Verdict {
    /// Log odds that both show the same picture.
    pub log_odds: f32,
}

impl Verdict {
    /// Weighs the evidence; `plain` is the larger share of one colour of the two pictures, 0 to 1.
    pub fn of(evidence: &Evidence, plain: f32) -> Self {
        let more = f32::from(evidence.departures.saturating_sub(1));
        let weighed = CLOSE.log_odds(&evidence.numbers) - more * DEPARTURE;
        let log_odds = match plain < PLAIN {
            true if has_one_grain(evidence) => (weighed + TEXTURED).max(CERTAIN),
            true if weighed >= ALIKE => weighed + TEXTURED,
            _ => weighed,
        };
        Verdict { log_odds }
    }

    /// The chance that both show the same picture, 0 to 1.
    pub fn score(self) -> f32 {
        1.0 / (1.0 + (-self.log_odds).exp())
    }

    /// Whether it is sure.
    pub fn is_certain(self) -> bool {
        self.log_odds >= CERTAIN
    }

    /// Whether another start may change the answer.
    pub fn is_in_doubt(self) -> bool {
        !self.is_certain() && self.log_odds > ALIKE - DOUBT
    }

    /// Whether close-ups may change the answer, and are worth the files that are read for them; `plain` is
    /// the larger share of one colour of the two pictures, 0 to 1, and `may_be_marked` what their evidence says.
    pub fn is_worth_a_second_look(self, plain: f32, may_be_marked: bool) -> bool {
        (plain < BARE || may_be_marked) && !self.is_certain() && self.log_odds >= WORTH_A_LOOK
    }

    /// Whether they at least look alike.
    pub fn is_alike(self) -> bool {
        self.log_odds >= ALIKE
    }
}

/// Whether both have the same grain or texture nearly everywhere.
fn has_one_grain(evidence: &Evidence) -> bool {
    let ([share, correlation], numbers) = (evidence.grain, &evidence.numbers);
    let found = [share, correlation, 1.0 - numbers[QUARTER].exp(), numbers[FITTING]];
    evidence.departures <= 1 && found.iter().zip(GRAIN).all(|(found, least)| *found >= least)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn evidence(numbers: [f32; EVIDENCE], departures: u8) -> Evidence {
        Evidence { numbers, map: crate::affine::Affine::IDENTITY, departures, grain: [0.0; 2] }
    }

    #[test]
    fn texture_tells_a_marked_picture_on_no_plain_ground() {
        let mut marked = evidence([0.0; EVIDENCE], 1);
        marked.grain = [0.1, 0.95];
        marked.numbers[QUARTER] = (1.0f32 - 0.9).ln();
        marked.numbers[FITTING] = 0.9;
        assert!(has_one_grain(&marked) && Verdict::of(&marked, 0.1).is_certain());
        // On plain ground the weights alone decide; so they do where any one of these is missing.
        let weighed = Verdict::of(&marked, 0.5);
        assert_eq!(weighed.log_odds, CLOSE.log_odds(&marked.numbers));
        for spoil in [
            |one: &mut Evidence| one.grain[0] = 0.01,
            |one: &mut Evidence| one.grain[1] = 0.8,
            |one: &mut Evidence| one.numbers[QUARTER] = -1.0,
            |one: &mut Evidence| one.numbers[FITTING] = 0.5,
            |one: &mut Evidence| one.departures = 2,
        ] {
            let mut other = marked;
            spoil(&mut other);
            assert!(!has_one_grain(&other));
        }
        // Beside a mark most fits, and nothing has moved.
        assert!(!marked.may_be_marked());
        (marked.numbers[1], marked.numbers[FITTING]) = (-4.0, 0.85);
        assert!(marked.may_be_marked());
        for (robust, fitting, departures) in [(-3.0, 0.85, 1), (-4.0, 0.7, 1), (-4.0, 0.85, 2)] {
            let mut other = Evidence { departures, ..marked };
            (other.numbers[1], other.numbers[FITTING]) = (robust, fitting);
            assert!(!other.may_be_marked());
        }
        // What does not look alike by its weights gets nothing on top.
        let unlike = evidence([0.0; EVIDENCE], 0);
        assert!(!Verdict::of(&unlike, 1.0).is_alike());
        assert_eq!(Verdict::of(&unlike, 0.0), Verdict::of(&unlike, 1.0));
    }

    proptest! {
        #[test]
        fn every_change_beyond_the_first_takes_off_as_much(
            numbers in prop::array::uniform27(-12.0f32..12.0), departures in 0u8..5,
        ) {
            let verdict = Verdict::of(&evidence(numbers, departures), 1.0);
            let plain = Verdict::of(&evidence(numbers, 1), 1.0);
            let less = DEPARTURE * f32::from(departures.max(1) - 1);
            prop_assert!((plain.log_odds - verdict.log_odds - less).abs() < 1e-4);
        }
    }

    #[test]
    fn verdicts_are_certain_alike_or_neither() {
        let says = |log_odds: f32| {
            let verdict = Verdict { log_odds };
            let again = [0.2, 0.6].map(|plain| verdict.is_worth_a_second_look(plain, false));
            let marked = verdict.is_worth_a_second_look(0.6, true);
            assert_eq!(marked, again[0], "a mark is looked at on any ground");
            [verdict.is_certain(), verdict.is_alike(), again[0], again[1], verdict.is_in_doubt()]
        };
        assert_eq!(says(3.8), [true, true, false, false, false]);
        assert_eq!(says(3.7), [false, true, true, false, true]);
        assert_eq!(says(1.9), [false, false, true, false, true]);
        assert_eq!(says(0.4), [false, false, false, false, true]);
        assert_eq!(says(-0.6), [false; 5]);
        let score = |log_odds: f32| Verdict { log_odds }.score();
        assert_eq!(score(0.0), 0.5);
        assert!((score(3.8) - 0.978).abs() < 1e-3 && (score(2.0) - 0.881).abs() < 1e-3);
    }
}
