//! What a policy sets for a step, and how numbers are drawn from that.

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
    /// The same with its numbers multiplied: those of `between` or `values` by the first factor, the second range by the other.
    pub fn scaled(&self, first: f64, second: f64) -> Setting {
        let amount = match &self.amount {
            Amount::Nothing => Amount::Nothing,
            Amount::Between(from, to) => Amount::Between(from * first, to * first),
            Amount::Values(values) => {
                Amount::Values(values.iter().map(|value| value * first).collect())
            }
        };
        let range = self.second.map(|(from, to)| (from * second, to * second));
        Setting { amount, second: range, word: self.word }
    }

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
