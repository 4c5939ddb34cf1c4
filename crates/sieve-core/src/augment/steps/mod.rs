//! The steps that a policy may name: one file each, which says all that there is to say of a step. Whoever reads,
//! draws, carries out, captions or lists steps goes by [`ALL`]; a new step is one file and one line here.

mod brightness;
mod contrast;
mod flip;
mod rotate;
mod shift;
mod zoom;

use std::fmt;

use serde::ser::{Serialize, SerializeMap, Serializer};

use super::frame::Frame;
use super::tone::Tone;
use crate::affine::Affine;
use crate::reading::Pixels;

/// Every step, in the order in which errors and manuals list them.
pub static ALL: [&Definition; 6] = [
    &rotate::ROTATE,
    &shift::SHIFT,
    &zoom::ZOOM,
    &flip::FLIP,
    &brightness::BRIGHTNESS,
    &contrast::CONTRAST,
];

/// All that there is to say of a step.
pub struct Definition {
    /// Its name: what `do` says.
    pub name: &'static str,
    /// What a policy sets for it.
    pub takes: Takes,
    /// The names of the numbers that are drawn for it, two at most.
    pub numbers: &'static [&'static str],
    /// The number at which it does nothing.
    pub neutral: f64,
    /// The numbers that two random ones, each from 0 to 1, give; 0 where it draws fewer than two.
    pub draw: fn(Setting, [f64; 2]) -> [f64; 2],
    /// What was drawn, as short as it can be said under a picture.
    pub caption: fn(&Drawn) -> String,
    /// What is done.
    pub effect: Effect,
}

/// What a policy sets for a step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Takes {
    /// `between`: a range of numbers.
    Range {
        /// What the numbers count.
        unit: Unit,
        /// The least that may be asked for.
        least: f64,
        /// The most.
        most: f64,
    },
    /// `axis`: which sides are exchanged.
    Axis,
}

/// What the numbers of a step count.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unit {
    /// Degrees of a circle.
    Degrees,
    /// Shares of the frame's width and height.
    FrameShare,
    /// A factor, neutral at 1.
    Factor,
}

impl Unit {
    /// What to call it in an error.
    pub fn name(self) -> &'static str {
        match self {
            Unit::Degrees => "degrees",
            Unit::FrameShare => "shares of width and height",
            Unit::Factor => "factor",
        }
    }

    /// A range of such numbers, for people.
    pub fn range(self, from: f64, to: f64) -> String {
        let (number, unit): (fn(f64) -> String, &str) = match self {
            Unit::Degrees => (|value| format!("{value:.1}"), "degrees"),
            Unit::FrameShare => (|value| format!("{:.1}", value * 100.0), "%"),
            Unit::Factor => (|value| format!("{value:.2}"), "times"),
        };
        let (from, to) = (number(from), number(to));
        if from == to { format!("{from} {unit}") } else { format!("{from} to {to} {unit}") }
    }
}

/// When and on what a step acts.
pub enum Effect {
    /// On the places of points: together with all other geometry one resampling.
    Geometry(fn(&Drawn, Frame) -> Affine),
    /// On each value of the frame by itself.
    Tone(fn(&Drawn) -> Tone),
    /// On values of the frame and those around them.
    Filter(fn(&Drawn, &mut Pixels)),
}

/// What one policy sets for one step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Setting {
    /// The least and the most.
    Range(f64, f64),
    /// The sides that are exchanged.
    Axis(Axis),
}

/// The sides that a flip exchanges.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Axis {
    /// Left and right.
    LeftRight,
    /// Top and bottom.
    TopBottom,
}

impl Axis {
    /// Both.
    pub const ALL: [Axis; 2] = [Axis::LeftRight, Axis::TopBottom];

    /// Its name in policies and answers.
    pub fn name(self) -> &'static str {
        match self {
            Axis::LeftRight => "left-right",
            Axis::TopBottom => "top-bottom",
        }
    }
}

/// A step with the numbers that were drawn for it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drawn {
    /// Which step.
    pub definition: &'static Definition,
    /// What the policy sets for it.
    pub setting: Setting,
    numbers: [f64; 2],
}

impl Definition {
    /// The step that is called so.
    pub fn named(name: &str) -> Option<&'static Definition> {
        ALL.into_iter().find(|step| step.name == name)
    }

    /// What two random numbers, each from 0 to 1, make of it.
    pub fn drawn(&'static self, setting: Setting, random: [f64; 2]) -> Drawn {
        Drawn { definition: self, setting, numbers: (self.draw)(setting, random) }
    }
}

impl Drawn {
    /// The numbers, as many as the step has names for.
    pub fn numbers(&self) -> &[f64] {
        &self.numbers[..self.definition.numbers.len()]
    }

    /// The same at a part of the strength: numbers are brought as much nearer to where the step does nothing.
    pub fn at_strength(self, strength: f64) -> Self {
        let neutral = self.definition.neutral;
        Drawn { numbers: self.numbers.map(|n| neutral + (n - neutral) * strength), ..self }
    }

    /// What was drawn, as short as it can be said under a picture.
    pub fn caption(&self) -> String {
        (self.definition.caption)(self)
    }
}

/// Steps are told apart by their names.
impl PartialEq for Definition {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl fmt::Debug for Definition {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)
    }
}

/// `do`, and each number by its name.
impl Serialize for Drawn {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("do", self.definition.name)?;
        for (name, number) in self.definition.numbers.iter().zip(self.numbers) {
            map.serialize_entry(name, &number)?;
        }
        if let Setting::Axis(axis) = self.setting {
            map.serialize_entry("axis", axis.name())?;
        }
        map.end()
    }
}

/// Each number drawn uniformly from the range, by itself.
fn uniform(setting: Setting, random: [f64; 2]) -> [f64; 2] {
    match setting {
        Setting::Range(from, to) => random.map(|at| from + (to - from) * at),
        Setting::Axis(_) => [0.0; 2],
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::augment::{Draw, DrawnStep, Policy};

    fn settings(step: &Definition) -> Vec<Setting> {
        match step.takes {
            Takes::Range { least, most, .. } => vec![Setting::Range(least, most)],
            Takes::Axis => Axis::ALL.map(Setting::Axis).to_vec(),
        }
    }

    #[test]
    fn every_step_keeps_to_its_bounds_and_does_nothing_where_it_says_so() {
        let policy = Policy::parse("[frame]\nsize = [9, 7]").unwrap();
        let data = (0..9 * 7 * 3).map(|at| (at * 37 % 251) as u8).collect();
        let picture = Pixels { width_px: 9, height_px: 7, data };
        for step in ALL {
            for setting in settings(step) {
                for random in [[0.0, 0.0], [0.5, 0.25], [1.0, 1.0]] {
                    let drawn = step.drawn(setting, random);
                    if let (Takes::Range { least, most, .. }, numbers) =
                        (step.takes, drawn.numbers())
                    {
                        assert!(numbers.iter().all(|n| (least..=most).contains(n)), "{drawn:?}");
                    }
                    assert!(!drawn.caption().is_empty());
                    // Without strength a picture stays what it is; flips have none to lose.
                    let still =
                        Draw { steps: vec![DrawnStep { step: 0, drawn: drawn.at_strength(0.0) }] };
                    let done = still.apply(&picture, &policy);
                    assert!(step.takes == Takes::Axis || done.pixels == picture, "{}", step.name);
                    let json = serde_json::to_value(drawn).unwrap();
                    assert_eq!(json["do"], step.name);
                    assert!(step.numbers.iter().all(|name| json[name].is_number()), "{json}");
                }
            }
            assert_eq!(Definition::named(step.name), Some(step));
        }
    }

    #[test]
    fn the_manual_has_a_row_for_every_step() {
        let manual = include_str!("../../../../../docs/policies.md");
        for step in ALL {
            assert!(manual.contains(&format!("| `{}` |", step.name)), "{}", step.name);
        }
    }
}
