//! What there is to say of a step, and a step with the numbers that were drawn for it.

use std::fmt;

use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde::ser::{Serialize, SerializeMap, Serializer};

use super::setting::{MOST_NUMBERS, Setting, Word};
use crate::augment::canvas::Canvas;
use crate::augment::colour::Colour;
use crate::augment::frame::Frame;
use crate::augment::projective::Projective;

/// All that there is to say of a step.
pub struct Definition {
    /// Its name: what `do` says.
    pub name: &'static str,
    /// What it does, for the manual and for people.
    pub does: &'static str,
    /// What `between` or `values` may be; none for a step that takes neither.
    pub range: Option<Range>,
    /// A further range, under a name of its own.
    pub second: Option<Second>,
    /// A word that it takes.
    pub word: Option<Choice>,
    /// The numbers that are drawn for it.
    pub numbers: &'static [Number],
    /// The numbers, from as many random ones, each from 0 to 1, as it asks for.
    pub draw: fn(&Setting, &mut dyn FnMut() -> f64) -> [f64; MOST_NUMBERS],
    /// What was drawn, as short as it can be said under an image.
    pub caption: fn(&Drawn) -> String,
    /// What is done.
    pub effect: Effect,
}

/// The numbers that a key of a step may have.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Range {
    /// What they count.
    pub unit: Unit,
    /// The least that may be asked for.
    pub least: f64,
    /// The most.
    pub most: f64,
    /// What is meant where nothing is set: the values, or for a second range its ends. None where it must be set.
    pub usual: Option<&'static [f64]>,
}

/// A range beside `between`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Second {
    /// Its key.
    pub name: &'static str,
    /// What it may be.
    pub range: Range,
}

/// A word that a step takes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Choice {
    /// Its key.
    pub name: &'static str,
    /// The words.
    pub known: &'static [&'static str],
    /// Whether a colour will do as well.
    pub takes_colour: bool,
    /// What is meant where nothing is set. None where it must be.
    pub usual: Option<&'static str>,
}

/// A number that is drawn.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Number {
    /// Its name in answers.
    pub name: &'static str,
    /// What strength does to it.
    pub strength: Strength,
}

/// What the dial does to a number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Strength {
    /// Its distance from this number, at which the step does nothing, is multiplied.
    Linear(f64),
    /// A ratio, which does nothing at 1: its logarithm is multiplied.
    Ratio,
    /// Nothing: a place, a direction.
    Fixed,
}

/// What the numbers of a step count.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unit {
    /// Degrees of a circle.
    Degrees,
    /// Degrees of a circle, whole quarters of it.
    QuarterTurns,
    /// Shares of the frame's width and height.
    FrameShare,
    /// A share of an area, or of all pixels.
    AreaShare,
    /// A factor.
    Factor,
    /// Pixels of the frame.
    Pixels,
    /// Levels from 0 to 255.
    Levels,
    /// Bits of a value.
    Bits,
    /// The quality of a JPEG, 1 to 100.
    Quality,
    /// Doublings.
    Stops,
}

impl Unit {
    /// What to call it in an error and in the manual.
    pub fn name(self) -> &'static str {
        match self {
            Unit::Degrees => "degrees",
            Unit::QuarterTurns => "multiples of 90 degrees",
            Unit::FrameShare => "shares of width and height",
            Unit::AreaShare => "a share, 1 is all",
            Unit::Factor => "factor",
            Unit::Pixels => "pixels of the frame",
            Unit::Levels => "levels of 255",
            Unit::Bits => "bits",
            Unit::Quality => "quality",
            Unit::Stops => "stops",
        }
    }

    /// A range of such numbers, for people.
    pub fn range(self, from: f64, to: f64) -> String {
        let (scale, decimals, unit) = match self {
            Unit::Degrees => (1.0, 0, "degrees"),
            Unit::QuarterTurns => (1.0, 0, "degrees"),
            Unit::FrameShare | Unit::AreaShare => (100.0, 0, "%"),
            Unit::Factor => (1.0, 2, "x"),
            Unit::Pixels => (1.0, 1, "px"),
            Unit::Levels => (1.0, 0, "levels"),
            Unit::Bits => (1.0, 0, "bits"),
            Unit::Quality => (1.0, 0, ""),
            Unit::Stops => (1.0, 2, "stops"),
        };
        // What is small would be rounded away.
        let most = from.abs().max(to.abs()) * scale;
        let decimals =
            if decimals == 0 && most < 10.0 && most.fract() != 0.0 { 1 } else { decimals };
        let number = |value: f64| {
            let text = format!("{:.decimals$}", value * scale);
            if text.trim_start_matches('-').chars().all(|c| "0.".contains(c)) {
                text.replace('-', "")
            } else {
                text
            }
        };
        let (from, to) = (number(from), number(to));
        let range = match from == to {
            true => from,
            // Signs belong to numbers of which one is below 0, and are not read twice where both are the same.
            false if from.strip_prefix('-') == Some(to.as_str()) => format!("+-{to}"),
            false => format!("{from} to {to}"),
        };
        match unit {
            "" => range,
            "%" | "x" => format!("{range}{unit}"),
            unit => format!("{range} {unit}"),
        }
    }
}

/// When and on what a step acts.
pub enum Effect {
    /// On the places of points: together with all other geometry one resampling.
    Geometry(fn(&Drawn, Frame) -> Projective),
    /// On the colour of each pixel by itself.
    Colour(fn(&Drawn) -> Colour),
    /// On pixels of the frame and those around them.
    Filter(fn(&Drawn, &mut Canvas)),
}

impl Definition {
    /// The step that is called so.
    pub fn named(name: &str) -> Option<&'static Definition> {
        super::ALL.iter().copied().find(|step| step.name == name)
    }

    /// Whether it moves points, and does not change colours.
    pub fn is_geometry(&self) -> bool {
        matches!(self.effect, Effect::Geometry(_))
    }

    /// Whether it changes pixels by those around them, and with that how sharp an image is.
    pub fn is_filter(&self) -> bool {
        matches!(self.effect, Effect::Filter(_))
    }

    /// A number that `between` or `values` may give, at another strength; held within the bounds.
    pub fn scaled(&self, number: f64, strength: f64) -> f64 {
        let scaled = match self.numbers.first().map_or(Strength::Fixed, |number| number.strength) {
            Strength::Linear(neutral) => neutral + (number - neutral) * strength,
            Strength::Ratio => number.powf(strength),
            Strength::Fixed => number,
        };
        self.range.map_or(scaled, |range| scaled.clamp(range.least, range.most))
    }

    /// Whether strength does anything to it.
    pub fn has_strength(&self) -> bool {
        self.numbers.iter().any(|number| number.strength != Strength::Fixed)
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

/// A step with the numbers that were drawn for it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drawn {
    /// Which step.
    pub definition: &'static Definition,
    /// The word that the policy sets.
    pub word: Option<Word>,
    pub(super) numbers: [f64; MOST_NUMBERS],
    /// Where what is random in each pixel begins.
    seed: u64,
}

impl Definition {
    /// What random numbers, each from 0 to 1, make of it.
    pub fn drawn(&'static self, setting: &Setting, random: &mut dyn FnMut() -> f64) -> Drawn {
        let numbers = (self.draw)(setting, random);
        // 53 bits are as many as a number from 0 to 1 has.
        let seed = (random() * (1u64 << 53) as f64) as u64;
        Drawn { definition: self, word: setting.word, numbers, seed }
    }
}

impl Drawn {
    /// The numbers, as many as the step has names for.
    pub fn numbers(&self) -> &[f64] {
        &self.numbers[..self.definition.numbers.len()]
    }

    /// The same at another strength: 0 does nothing, 1 is as drawn, 2 twice as strong, within the step's bounds.
    pub fn at_strength(self, strength: f64) -> Self {
        let mut numbers = self.numbers;
        for (at, number) in self.definition.numbers.iter().enumerate() {
            let changed = match number.strength {
                Strength::Linear(neutral) => neutral + (numbers[at] - neutral) * strength,
                Strength::Ratio => numbers[at].powf(strength),
                Strength::Fixed => continue,
            };
            let second = self.definition.second.filter(|second| second.name == number.name);
            let range = second.map(|second| second.range).or(self.definition.range);
            numbers[at] =
                range.map_or(changed, |Range { least, most, .. }| changed.clamp(least, most));
        }
        Drawn { numbers, ..self }
    }

    /// What was drawn, as short as it can be said under an image.
    pub fn caption(&self) -> String {
        (self.definition.caption)(self)
    }

    /// What is random in each pixel: the same numbers for the same draw, whatever was drawn before.
    pub(super) fn random(&self) -> ChaCha8Rng {
        ChaCha8Rng::seed_from_u64(self.seed)
    }
}

/// `do`, and each number by its name.
impl Serialize for Drawn {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("do", self.definition.name)?;
        for (number, value) in self.definition.numbers.iter().zip(self.numbers) {
            map.serialize_entry(number.name, &value)?;
        }
        if let (Some(choice), Some(word)) = (self.definition.word, self.word) {
            map.serialize_entry(choice.name, &word.written())?;
        }
        map.end()
    }
}
