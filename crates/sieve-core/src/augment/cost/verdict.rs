//! Gentle, strong or harsh: what each step of a policy does by itself, against the limits.

use super::geometry::{StepGeometry, step_geometry};
use super::impact::{Impact, StepEffect, TRIED};
use crate::augment::policy::Policy;
use crate::limits::FindingLimits;

/// How far a step goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Grade {
    /// Within every limit.
    Gentle,
    /// Beyond a limit.
    Strong,
    /// Beyond three times a limit, other than that of the range.
    Harsh,
}

/// How many times a limit is harsh: three.
const HARSH: f64 = 3.0;
/// Draws by which a step's geometry is reported at each strength that is tried.
const DRAWS: u64 = 400;

impl Grade {
    /// Its name.
    pub fn name(self) -> &'static str {
        match self {
            Grade::Gentle => "gentle",
            Grade::Strong => "strong",
            Grade::Harsh => "harsh",
        }
    }
}

/// What a step goes too far in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reason {
    /// It fills the frame with what is not in the image.
    Invented,
    /// It hides the image.
    Hidden,
    /// Draws leave the range of held-out images.
    OutOfRange,
    /// Values become black or white.
    Clipped,
    /// Draws look most like another class.
    LabelRisk,
}

impl Reason {
    /// All of them.
    pub const ALL: [Reason; 5] =
        [Reason::Invented, Reason::Hidden, Reason::OutOfRange, Reason::Clipped, Reason::LabelRisk];

    /// Its name in answers.
    pub fn name(self) -> &'static str {
        match self {
            Reason::Invented => "invented",
            Reason::Hidden => "hidden",
            Reason::OutOfRange => "out-of-range",
            Reason::Clipped => "clipped",
            Reason::LabelRisk => "label-risk",
        }
    }

    fn limit(self, limits: &FindingLimits) -> f64 {
        match self {
            Reason::Invented => limits.invented,
            Reason::Hidden => limits.hidden,
            Reason::OutOfRange => limits.out_of_range,
            Reason::Clipped => limits.clipped,
            Reason::LabelRisk => limits.label_risk,
        }
    }
}

/// What is said of a step.
#[derive(Clone, Debug, PartialEq)]
pub struct Verdict {
    /// How far it goes.
    pub grade: Grade,
    /// What it does, as shares from 0 to 1, in the order of [`Reason::ALL`].
    pub shares: [f64; 5],
    /// What it goes furthest in, measured by the limits.
    pub reason: Reason,
    /// What would make it gentle.
    pub back: Option<Back>,
}

/// A strength at which a step would be gentle.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Back {
    /// The part of its strength, above 0 and below 1.
    pub strength: f64,
    /// What is left there of the share that it goes too far in.
    pub share: f64,
}

/// What each step does by itself, when it happens, in the order of the policy.
pub fn verdicts(
    policy: &Policy,
    impact: &Impact,
    limits: &FindingLimits,
    seed: u64,
) -> Vec<Verdict> {
    (0..policy.steps.len())
        .map(|step| {
            let effects = &impact.steps[step].at;
            let geometry =
                |strength| step_geometry(policy, step, strength, &impact.subjects, seed, DRAWS);
            let first = effects.first().copied().unwrap_or_default();
            verdict(policy.steps[step].definition.has_strength(), first, limits, &geometry, effects)
        })
        .collect()
}

fn shares(geometry: StepGeometry, effect: StepEffect) -> [f64; 5] {
    [geometry.invented, geometry.hidden, effect.out_of_range, effect.clipped, effect.label_risk]
}

fn verdict(
    has_strength: bool,
    first: StepEffect,
    limits: &FindingLimits,
    geometry: &dyn Fn(f64) -> StepGeometry,
    effects: &[StepEffect],
) -> Verdict {
    let times = |shares: &[f64; 5]| {
        Reason::ALL.map(|reason| {
            let times = shares[reason as usize] / reason.limit(limits).max(f64::MIN_POSITIVE);
            // What held-out images never show is unusual, not wrong: in trials networks erred no more under noise, blur and
            // light beyond their range. By itself it is never harsh.
            if reason == Reason::OutOfRange { times.min(HARSH) } else { times }
        })
    };
    let worst = |shares: &[f64; 5]| times(shares).into_iter().fold(0.0, f64::max);
    let all = shares(geometry(1.0), first);
    let beyond = worst(&all);
    let reason = Reason::ALL.into_iter().rev().max_by(|a, b| {
        let times = times(&all);
        times[*a as usize].total_cmp(&times[*b as usize])
    });
    let reason = reason.unwrap_or(Reason::Invented);
    let grade = match beyond {
        beyond if beyond <= 1.0 => Grade::Gentle,
        beyond if beyond <= HARSH => Grade::Strong,
        _ => Grade::Harsh,
    };
    let back = (grade > Grade::Gentle && has_strength).then(|| match reason {
        // Between the strengths that pixels were tried at, geometry alone is asked: it costs next to nothing.
        Reason::Invented | Reason::Hidden => {
            let share = |strength| shares(geometry(strength), StepEffect::default());
            let (mut gentle, mut strong) = (0.0, 1.0);
            for _ in 0..6 {
                let middle = (gentle + strong) / 2.0;
                if worst(&share(middle)) <= 1.0 { gentle = middle } else { strong = middle }
            }
            (gentle > 0.0).then(|| Back { strength: gentle, share: share(gentle)[reason as usize] })
        }
        _ => TRIED.iter().zip(effects).skip(1).find_map(|(&strength, effect)| {
            let there = shares(geometry(strength), *effect);
            let share = there[reason as usize];
            (worst(&there) <= 1.0).then_some(Back { strength, share })
        }),
    });
    Verdict { grade, shares: all, reason, back: back.flatten() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_worst_reason_counts_and_a_gentle_strength_is_found() {
        let limits = FindingLimits::default();
        // Three times as strong, three times as much is invented.
        let geometry = |strength: f64| StepGeometry { invented: 0.3 * strength, hidden: 0.1 };
        let judged = verdict(true, StepEffect::default(), &limits, &geometry, &[]);
        assert_eq!((judged.grade, judged.reason), (Grade::Harsh, Reason::Invented));
        let back = judged.back.unwrap();
        assert!(back.share <= limits.invented && back.strength > 0.14, "{back:?}");
        // A tone that only an eighth of the strength keeps in range.
        let still = |_| StepGeometry::default();
        let effect = |out_of_range| StepEffect { out_of_range, clipped: 0.001, label_risk: 0.0 };
        let effects = [0.25, 0.2, 0.15, 0.05].map(effect);
        let judged = verdict(true, effects[0], &limits, &still, &effects);
        assert_eq!((judged.grade, judged.reason), (Grade::Strong, Reason::OutOfRange));
        assert_eq!(judged.back, Some(Back { strength: 0.125, share: 0.05 }));
        // Far out of range is unusual, and no more than that; a little more of a real harm outweighs it.
        let far = StepEffect { out_of_range: 0.9, clipped: 0.0, label_risk: 0.0 };
        let judged = verdict(true, far, &limits, &still, &[far; 4]);
        assert_eq!((judged.grade, judged.reason), (Grade::Strong, Reason::OutOfRange));
        let clipping = StepEffect { clipped: 0.07, ..far };
        let judged = verdict(true, clipping, &limits, &still, &[clipping; 4]);
        assert_eq!((judged.grade, judged.reason), (Grade::Harsh, Reason::Clipped));
        // Without strength there is no way back.
        let risky = StepEffect { label_risk: 0.4, ..StepEffect::default() };
        let judged = verdict(false, risky, &limits, &still, &[risky; 4]);
        assert_eq!(
            (judged.grade, judged.reason, judged.back),
            (Grade::Harsh, Reason::LabelRisk, None)
        );
        let judged = verdict(true, StepEffect::default(), &limits, &still, &[]);
        assert_eq!((judged.grade, judged.back), (Grade::Gentle, None));
    }
}
