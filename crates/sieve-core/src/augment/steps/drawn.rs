//! What a policy sets for a step, and what was drawn for it.

use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde::ser::{Serialize, SerializeMap, Serializer};

use super::definition::{Definition, Range, Strength};

/// Numbers that are drawn for one step at most: a share and four corners.
pub const MOST_NUMBERS: usize = 9;

/// What one policy sets for one step.
#[derive(Clone, Debug, PartialEq)]
pub struct Setting {
    /// What `between` or `values` says.
    pub amount: Amount,
    /// What the second range says.
    pub second: Option<(f64, f64)>,
    /// The word.
    pub word: Option<Word>,
}

/// What `between` or `values` says.
#[derive(Clone, Debug, PartialEq)]
pub enum Amount {
    /// The step takes neither.
    Nothing,
    /// Any number from the first to the second, each as likely.
    Between(f64, f64),
    /// One of these, each as likely.
    Values(Vec<f64>),
}

impl Amount {
    /// The number that a random one from 0 to 1 gives.
    pub fn draw(&self, random: f64) -> f64 {
        match self {
            Amount::Nothing => 0.0,
            Amount::Between(from, to) => from + (to - from) * random,
            Amount::Values(values) => {
                values[((random * values.len() as f64) as usize).min(values.len() - 1)]
            }
        }
    }

    /// The least and the most of it.
    pub fn ends(&self) -> Option<(f64, f64)> {
        match self {
            Amount::Nothing => None,
            Amount::Between(from, to) => Some((*from, *to)),
            Amount::Values(values) => Some((
                values.iter().copied().fold(f64::INFINITY, f64::min),
                values.iter().copied().fold(f64::NEG_INFINITY, f64::max),
            )),
        }
    }
}

impl Setting {
    /// A number of the second range.
    pub fn second(&self, random: f64) -> f64 {
        self.second.map_or(0.0, |(from, to)| from + (to - from) * random)
    }
}

/// A word that a policy sets.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Word {
    /// One of those that the step knows.
    Known(&'static str),
    /// A colour: red, green, blue.
    Colour([u8; 3]),
}

impl Word {
    /// As it is written in a policy.
    pub fn written(self) -> String {
        match self {
            Word::Known(word) => word.to_owned(),
            Word::Colour([red, green, blue]) => format!("#{red:02x}{green:02x}{blue:02x}"),
        }
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

    /// What was drawn, as short as it can be said under a picture.
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

/// One number.
pub(super) fn once(setting: &Setting, random: &mut dyn FnMut() -> f64) -> [f64; MOST_NUMBERS] {
    let mut numbers = [0.0; MOST_NUMBERS];
    numbers[0] = setting.amount.draw(random());
    numbers
}

/// Two numbers, each by itself.
pub(super) fn twice(setting: &Setting, random: &mut dyn FnMut() -> f64) -> [f64; MOST_NUMBERS] {
    let mut numbers = once(setting, random);
    numbers[1] = setting.amount.draw(random());
    numbers
}
/// A whole number with its sign, for captions; nothing is neither above nor below 0.
pub(super) fn signed(value: f64) -> String {
    match value.round() {
        0.0 => "0".to_owned(),
        value => format!("{value:+.0}"),
    }
}
