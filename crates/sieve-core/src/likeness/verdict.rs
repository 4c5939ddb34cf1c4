//! How sure it is that two pictures show the same.
//!
//! A logistic model over the evidence, with one layer of sums between, so that what one number is
//! worth may hang on the others: correlation says little about a picture of two lines.
//! `scripts/fit-likeness.py` fitted its numbers to pairs of pictures and known copies of them, and says
//! how.

use super::evidence::{EVIDENCE, Evidence, FITTING, QUARTER};

/// Log odds from which two pictures count as the same: a chance of 0.978. docs/duplicates.md says how
/// many copies and how many others are above.
const CERTAIN: f32 = 3.8;
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

/// A logistic model with one layer of sums.
struct Weights {
    /// What each sum takes of each number of the evidence.
    inner: [[f32; EVIDENCE]; HIDDEN],
    /// What is added to each sum.
    shifts: [f32; HIDDEN],
    /// What each sum counts.
    outer: [f32; HIDDEN],
    /// What is added in any case.
    constant: f32,
    /// What each number is at least and at most: what the weights were fitted on had no more.
    limits: [[f32; EVIDENCE]; 2],
}

impl Weights {
    fn log_odds(&self, evidence: &Evidence) -> f32 {
        let [least, most] = &self.limits;
        let numbers: [f32; EVIDENCE] =
            std::array::from_fn(|at| evidence.numbers[at].clamp(least[at], most[at]));
        let sums = self.inner.iter().zip(self.shifts).zip(self.outer);
        let terms = sums.map(|((weights, shift), counts)| {
            let terms = numbers.iter().zip(weights);
            let sum = shift + terms.map(|(number, weight)| number * weight).sum::<f32>();
            counts * sum / (1.0 + sum.abs())
        });
        self.constant + terms.sum::<f32>()
    }
}

/// Log odds by which a second look may change a verdict.
const DOUBT: f32 = 2.5;

include!("coefficients.rs");

/// Whether a glance is worth a close look.
pub fn is_promising(glance: &Evidence) -> bool {
    GLANCE.log_odds(glance) > PROMISING
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
        let weighed = CLOSE.log_odds(evidence) - more * DEPARTURE;
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

    /// Whether another look may change the answer.
    pub fn is_in_doubt(self) -> bool {
        !self.is_certain() && self.log_odds > ALIKE - DOUBT
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

    /// The sums in the order of the words, in twice the precision.
    fn slowly(weights: &Weights, numbers: &[f32; EVIDENCE]) -> f64 {
        let mut odds = f64::from(weights.constant);
        for unit in 0..HIDDEN {
            let mut sum = f64::from(weights.shifts[unit]);
            for (at, number) in numbers.iter().enumerate() {
                let held = number.max(weights.limits[0][at]).min(weights.limits[1][at]);
                sum += f64::from(held) * f64::from(weights.inner[unit][at]);
            }
            odds += f64::from(weights.outer[unit]) * sum / (1.0 + sum.abs());
        }
        odds
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
        assert_eq!(weighed.log_odds, CLOSE.log_odds(&marked));
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
        // What does not look alike by its weights gets nothing on top.
        let unlike = evidence([0.0; EVIDENCE], 0);
        assert!(!Verdict::of(&unlike, 1.0).is_alike());
        assert_eq!(Verdict::of(&unlike, 0.0), Verdict::of(&unlike, 1.0));
    }

    proptest! {
        #[test]
        fn evidence_is_weighed_as_the_words_say(
            numbers in prop::array::uniform27(-12.0f32..12.0), departures in 0u8..5,
        ) {
            for weights in [&GLANCE, &CLOSE] {
                let odds = weights.log_odds(&evidence(numbers, departures));
                prop_assert!((f64::from(odds) - slowly(weights, &numbers)).abs() < 1e-3);
            }
            let verdict = Verdict::of(&evidence(numbers, departures), 1.0);
            let plain = Verdict::of(&evidence(numbers, 1), 1.0);
            let less = DEPARTURE * f32::from(departures.max(1) - 1);
            prop_assert!((plain.log_odds - verdict.log_odds - less).abs() < 1e-4);
            // No picture runs away with numbers that nothing was fitted on.
            let wild = numbers.map(|number| number * 1e6);
            let most = CLOSE.constant.abs() + CLOSE.outer.iter().map(|o| o.abs()).sum::<f32>();
            prop_assert!(CLOSE.log_odds(&evidence(wild, 0)).abs() <= most);
        }
    }

    #[test]
    fn verdicts_are_certain_alike_or_neither() {
        let says = |log_odds: f32| {
            let verdict = Verdict { log_odds };
            (verdict.is_certain(), verdict.is_alike(), verdict.is_in_doubt())
        };
        assert_eq!(says(3.8), (true, true, false));
        assert_eq!(says(3.7), (false, true, true));
        assert_eq!(says(1.9), (false, false, true));
        assert_eq!(says(-0.6), (false, false, false));
        let score = |log_odds: f32| Verdict { log_odds }.score();
        assert_eq!(score(0.0), 0.5);
        assert!((score(3.8) - 0.978).abs() < 1e-3 && (score(2.0) - 0.881).abs() < 1e-3);
    }
}
