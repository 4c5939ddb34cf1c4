//! Policies: what may happen to an image, how often and how strongly.

use super::frame::Frame;
use super::steps::{Definition, Setting, Unit};

/// An augmentation policy, checked.
#[derive(Clone, Debug, PartialEq)]
pub struct Policy {
    /// The image that the model sees: of every split, and without chance.
    pub frame: Frame,
    /// What fills the frame where the image does not reach.
    pub fill: Fill,
    /// The dial: by how much every range is scaled around its neutral value, 0 to 2.
    pub strength: f64,
    /// What may happen, in this order; those of a pick one after the other.
    pub steps: Vec<Step>,
    /// Choices among several steps.
    pub picks: Vec<Pick>,
}

/// What fills the frame where the image does not reach.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fill {
    /// The image mirrored at its edges: `dcba|abcd|dcba`.
    Mirror,
    /// The pixel at the edge: `aaaa|abcd|dddd`.
    Edge,
    /// The image again: `abcd|abcd|abcd`.
    Wrap,
    /// A colour: red, green, blue.
    Colour([u8; 3]),
}

/// One step of a policy.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// What is done.
    pub definition: &'static Definition,
    /// Within which bounds.
    pub setting: Setting,
    /// How often: 0 never, 1 always.
    pub chance: f64,
    /// To which classes.
    pub classes: Classes,
    /// The pick that it belongs to, as an index among [`Policy::picks`].
    pub pick: Option<usize>,
}

/// A choice of some of several steps.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pick {
    /// How many of its steps.
    pub count: usize,
    /// Of how many.
    pub of: usize,
    /// How often any are picked at all: 0 never, 1 always.
    pub chance: f64,
}

/// The classes to which a step happens.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Classes {
    /// All.
    #[default]
    All,
    /// All but these.
    Never(Vec<String>),
    /// These alone.
    Only(Vec<String>),
}

impl Policy {
    /// The policy that only fits images into a frame.
    pub fn of_frame(frame: Frame, fill: Fill) -> Self {
        Policy { frame, fill, strength: 1.0, steps: Vec::new(), picks: Vec::new() }
    }
}

impl Classes {
    /// Whether `class` is one of them.
    pub fn includes(&self, class: &str) -> bool {
        let among = |names: &[String]| names.iter().any(|name| name == class);
        match self {
            Classes::All => true,
            Classes::Never(names) => !among(names),
            Classes::Only(names) => among(names),
        }
    }

    /// The names that it lists.
    pub fn names(&self) -> &[String] {
        match self {
            Classes::All => &[],
            Classes::Never(names) | Classes::Only(names) => names,
        }
    }
}

impl Policy {
    /// The share of draws in which a step happens to a class that it is meant for, 0 to 1.
    pub fn chance_of(&self, step: usize) -> f64 {
        let step = &self.steps[step];
        let picked = step.pick.map(|pick| {
            let Pick { count, of, chance } = self.picks[pick];
            chance * count as f64 / of as f64
        });
        step.chance * picked.unwrap_or(1.0)
    }

    /// The same policy with one step alone, which always happens, to every class.
    pub fn with_only(&self, step: usize) -> Policy {
        let alone =
            Step { chance: 1.0, classes: Classes::All, pick: None, ..self.steps[step].clone() };
        Policy { steps: vec![alone], picks: Vec::new(), ..self.clone() }
    }

    /// The policy at another setting of the dial.
    pub fn at_strength(&self, strength: f64) -> Policy {
        Policy { strength, ..self.clone() }
    }

    /// The policy on another frame: what it says in pixels keeps its share of the frame. The frame's colours and sampling stay
    /// those of the policy.
    pub fn reframed(&self, frame: Frame) -> Policy {
        let area = |frame: &Frame| f64::from(frame.width_px) * f64::from(frame.height_px);
        let scale = (area(&frame) / area(&self.frame)).sqrt();
        let (colours, sampling) = (self.frame.colours, self.frame.sampling);
        let frame = Frame { colours, sampling, ..frame };
        let scaled = |step: &Step| {
            let of = |unit: Option<Unit>| if unit == Some(Unit::Pixels) { scale } else { 1.0 };
            let first = of(step.definition.range.map(|range| range.unit));
            let second = of(step.definition.second.map(|second| second.range.unit));
            let setting = step.setting.scaled(first, second);
            Step { setting, ..step.clone() }
        };
        Policy { frame, steps: self.steps.iter().map(scaled).collect(), ..self.clone() }
    }

    /// All that decides what the policy does, as one text: equal for equal policies, in every run of one version.
    pub fn description(&self) -> String {
        let step = |step: &Step| {
            let Step { definition, setting, chance, classes, pick } = step;
            format!("{} {setting:?} {chance} {classes:?} {pick:?}", definition.name)
        };
        let steps: Vec<String> = self.steps.iter().map(step).collect();
        let Policy { frame, fill, strength, picks, .. } = self;
        format!("{frame} {fill:?} {strength} {picks:?} {}", steps.join("; "))
    }
}
