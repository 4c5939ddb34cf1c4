//! A first policy, from what was measured: ranges from how much held-out images of one class differ among each other,
//! brought back until the policy's own verdict is gentle.

use super::cost::{Grade, Impact, Reason, Reference, Verdict};
use super::frame::{Fit, Frame};
use super::policy::{Classes, Fill, Policy, Step};
use super::steps::{Amount, Definition, Setting, Word};

/// One step of a draft.
#[derive(Clone, Debug, PartialEq)]
pub struct Drafted {
    /// The step.
    pub step: Step,
    /// Where its range comes from.
    pub source: Source,
    /// What was said of it as it was first drafted, and by how much it was weakened then; 1 where it was not.
    pub strength: f64,
    /// Whether it is proposed; otherwise it is shown, and left to a person.
    pub is_proposed: bool,
    /// Share of draws, beyond chance, that it makes look like another class.
    pub label_risk: f64,
    /// What it goes too far in at every strength that was tried, and by how much as it was first drafted.
    pub too_far: Option<(Reason, f64)>,
}

/// Where the range of a step comes from.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Source {
    /// The middle 80% of images against the median of their class: of which measure, and how many images.
    Spread(&'static str, usize),
    /// Nothing measures it: a mild range that is usual.
    Mild,
    /// Whether it makes images look like another class.
    LabelRisk,
}

/// Share of images at either end that no range follows: one in ten.
const TAIL: f64 = 0.1;
/// Images of a class that have a median to speak of.
const LEAST_OF_CLASS: usize = 5;
/// A range that is narrower does nothing that is seen: a step of 2% is five levels at white.
const LEAST_SPREAD: f64 = 0.02;
/// Blur that is tried where sharpness differs, in pixels of the frame; the verdict weakens it.
const BLUR_PX: f64 = 1.0;

/// The candidates for a draft, before any was tried: everything that might be in it.
pub fn candidates(reference: &[Reference]) -> Vec<Drafted> {
    let named = |name: &str| Definition::named(name).expect("a step that there is");
    let step = |name: &str, amount: Amount, word: Option<Word>, chance: f64| Step {
        definition: named(name),
        setting: Setting { amount, second: None, word },
        chance,
        classes: Classes::All,
        pick: None,
    };
    let drafted = |step: Step, source: Source| Drafted {
        step,
        source,
        strength: 1.0,
        is_proposed: true,
        label_risk: 0.0,
        too_far: None,
    };
    let mut all = Vec::new();
    for (name, from, to, chance) in [("rotate", -10.0, 10.0, 0.8), ("shift", -0.05, 0.05, 0.8)] {
        all.push(drafted(step(name, Amount::Between(from, to), None, chance), Source::Mild));
    }
    let pictures = reference.len();
    // The linear size of what is not ground.
    let size = ratios(reference, |reference| reference.covered.sqrt());
    let is_seen =
        reference.iter().filter(|reference| reference.covered < 0.8).count() * 2 > pictures;
    all.push(match size.filter(|_| is_seen) {
        Some((from, to)) => drafted(
            step("zoom", Amount::Between(from.clamp(0.7, 1.0), to.clamp(1.0, 1.4)), None, 0.8),
            Source::Spread("size of what is not background", pictures),
        ),
        None => drafted(step("zoom", Amount::Between(0.95, 1.1), None, 0.8), Source::Mild),
    });
    for axis in ["left-right", "top-bottom"] {
        let word = Some(Word::Known(axis));
        all.push(drafted(step("flip", Amount::Nothing, word, 0.5), Source::LabelRisk));
    }
    for (at, name) in ["brightness", "contrast", "saturation"].into_iter().enumerate() {
        let Some((from, to)) = ratios(reference, |reference| reference.measures[at]) else {
            continue;
        };
        if to / from - 1.0 >= LEAST_SPREAD {
            let amount = Amount::Between(from.clamp(0.3, 1.0), to.clamp(1.0, 3.0));
            all.push(drafted(step(name, amount, None, 0.8), Source::Spread(name, pictures)));
        }
    }
    if let Some((from, to)) = ratios(reference, |reference| reference.measures[4].exp2()) {
        let (from, to) = (from.log2().clamp(-1.0, 0.0), to.log2().clamp(0.0, 1.0));
        if to - from >= LEAST_SPREAD {
            let amount = Amount::Between(from, to);
            all.push(drafted(
                step("warmth", amount, None, 0.5),
                Source::Spread("warmth", pictures),
            ));
        }
    }
    if ratios(reference, |reference| reference.measures[3]).is_some_and(|(from, _)| from < 0.95) {
        let amount = Amount::Between(0.0, BLUR_PX);
        all.push(drafted(step("blur", amount, None, 0.3), Source::Spread("sharpness", pictures)));
    }
    all
}

/// The policy of some candidates, for a frame of this many pixels in both directions.
pub fn policy(steps: &[Drafted], side_px: u32) -> Policy {
    Policy {
        frame: Frame::new(side_px, side_px, Fit::Cover),
        fill: Fill::Mirror,
        strength: 1.0,
        steps: steps.iter().map(|drafted| drafted.step.clone()).collect(),
        picks: Vec::new(),
    }
}

/// Weakens each step until it is gentle, and leaves to a person what cannot be, or what numbers cannot settle.
pub fn settled(candidates: Vec<Drafted>, verdicts: &[Verdict], impact: &Impact) -> Vec<Drafted> {
    // Where most images look most like another class anyway, likeness says nothing of flips.
    let tells_labels = impact.label_risk.as_ref().is_none_or(|risk| risk.plain < 0.5);
    let settle = |(mut drafted, verdict): (Drafted, &Verdict)| {
        drafted.label_risk = verdict.shares[Reason::LabelRisk as usize];
        if drafted.source == Source::LabelRisk {
            // Whether things are ever upside down is not for likeness to say.
            let is_upright = drafted.step.setting.word == Some(Word::Known("left-right"));
            drafted.is_proposed = is_upright && tells_labels && drafted.label_risk == 0.0;
            return drafted;
        }
        if verdict.grade == Grade::Gentle {
            return drafted;
        }
        let Some(back) = verdict.back else {
            let too_far = (verdict.reason, verdict.shares[verdict.reason as usize]);
            return Drafted { is_proposed: false, too_far: Some(too_far), ..drafted };
        };
        drafted.strength = back.strength;
        let definition = drafted.step.definition;
        if let Amount::Between(from, to) = &mut drafted.step.setting.amount {
            (*from, *to) =
                (definition.scaled(*from, back.strength), definition.scaled(*to, back.strength));
        }
        drafted
    };
    candidates.into_iter().zip(verdicts).map(settle).collect()
}

/// Between which factors of their class's median the middle 80% of images lie; none without classes of enough
/// images.
fn ratios(reference: &[Reference], number: impl Fn(&Reference) -> f64) -> Option<(f64, f64)> {
    let mut classes: Vec<&str> =
        reference.iter().map(|reference| reference.class.as_str()).collect();
    classes.sort_unstable();
    classes.dedup();
    let mut ratios = Vec::new();
    for class in classes {
        let numbers: Vec<f64> =
            reference.iter().filter(|reference| reference.class == class).map(&number).collect();
        let median = crate::statistics::median(numbers.iter().copied())?;
        if numbers.len() >= LEAST_OF_CLASS && median > 1e-6 {
            ratios.extend(numbers.iter().map(|number| number / median));
        }
    }
    ratios.sort_by(f64::total_cmp);
    let at = |share: f64| ratios.get((share * ratios.len() as f64) as usize).copied();
    Some((at(TAIL)?, at(1.0 - TAIL)?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ranges_follow_how_much_pictures_of_one_class_differ() {
        // Two classes of different brightness; within each it runs from 0.8 to 1.2 of the median.
        let reference: Vec<Reference> = (0..40)
            .map(|at| {
                let own = if at % 2 == 0 { 0.3 } else { 0.6 };
                let brightness = own * (0.8 + 0.4 * f64::from(at / 2) / 19.0);
                let measures = [brightness, 0.2, 0.0, 0.4, 0.1];
                Reference { class: (at % 2).to_string(), measures, covered: 0.95 }
            })
            .collect();
        let all = candidates(&reference);
        let names: Vec<&str> = all.iter().map(|drafted| drafted.step.definition.name).collect();
        // Contrast, warmth and sharpness do not differ, and without colour there is no saturation to change.
        assert_eq!(names, ["rotate", "shift", "zoom", "flip", "flip", "brightness"]);
        let Amount::Between(from, to) = all[5].step.setting.amount else { panic!("{all:?}") };
        assert!((from - 0.84).abs() < 0.02 && (to - 1.18).abs() < 0.02, "{from} {to}");
        assert_eq!(all[2].source, Source::Mild);
        assert_eq!(policy(&all, 64).steps.len(), 6);
    }
}
