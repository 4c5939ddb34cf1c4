//! The parts of a split and how much each is to get.

use std::fmt;
use std::str::FromStr;

use crate::collection::{SPLIT_TABLE, check_folder_name};

/// Two parts or more, each with its amount.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parts {
    names: Vec<String>,
    amounts: Vec<Amount>,
}

/// How much a part is to get.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Amount {
    /// A share, in millionths.
    Share(u64),
    /// So many images.
    Images(u64),
    /// What the others leave.
    Rest,
    /// What is in it already, and nothing else.
    Kept,
}

/// Why a text names no parts.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PartsError {
    /// A piece is not `NAME=AMOUNT`.
    #[error("{0:?} is not a part; expected NAME=AMOUNT, for example train=70%")]
    NotAPart(String),
    /// An amount is none.
    #[error("{name} has the amount {amount:?}; expected a share (15%), a number of images or rest")]
    NotAnAmount {
        /// The part.
        name: String,
        /// What was typed.
        amount: String,
    },
    /// A name would not do as the name of a folder.
    #[error("{0:?} is not a valid folder name")]
    BadName(String),
    /// A name that the table of the split has.
    #[error("a part cannot be called {SPLIT_TABLE}: the table of the split has that name")]
    TableName,
    /// A name is there twice.
    #[error("the part {0} is named twice")]
    Twice(String),
    /// Two names differ in the case of their letters only.
    #[error("the parts {0} and {1} would be one folder on many systems: they differ only in case")]
    SameFolder(String, String),
    /// There are fewer than two parts.
    #[error("expected at least two parts, for example train=80%,test=20%")]
    TooFew,
    /// Several parts are to get what the others leave.
    #[error("{0} and {1} both ask for the rest; only one part can")]
    TwoRests(String, String),
    /// Shares that do not add up.
    #[error("the shares add up to {}%; expected 100%, or one part with =rest", rounded(.0))]
    BadSum(f64),
    /// Plain numbers that are neither shares nor counts.
    #[error(
        "the numbers add up to {}: shares add up to 100 or 1 (or are written with %), and among numbers of images \
         one part gets the rest, for example train=rest,test=200", rounded(.0)
    )]
    Ambiguous(f64),
}

/// Millionths in one.
pub const UNIT: u64 = 1_000_000;

/// 70% to train on, 15 % each to choose by and to test on: what most published classifiers use, about.
impl Default for Parts {
    fn default() -> Self {
        "train=70%,validation=15%,test=15%".parse().expect("a sound text")
    }
}

impl Parts {
    /// As many equal parts, called `fold-1` and so on.
    pub fn folds(count: u64) -> Self {
        let names = (1..=count).map(|number| format!("fold-{number}")).collect();
        let share = |number: u64| UNIT * (number + 1) / count - UNIT * number / count;
        Parts { names, amounts: (0..count).map(|number| Amount::Share(share(number))).collect() }
    }

    /// The parts in `text` taken out of the part `from`, which keeps the rest; `others` stay what they are.
    ///
    /// # Errors
    ///
    /// As for parts that are typed; also where a new part is called like one that is there.
    pub fn taken_from(text: &str, from: &str, others: &[String]) -> Result<Self, PartsError> {
        let mut parts: Parts = format!("{from}=rest,{text}").parse()?;
        for other in others {
            if parts.names.iter().any(|name| name.to_lowercase() == other.to_lowercase()) {
                return Err(PartsError::Twice(other.clone()));
            }
            parts.names.push(other.clone());
            parts.amounts.push(Amount::Kept);
        }
        Ok(parts)
    }

    /// Those that are in, and all others.
    pub(super) fn taken(amount: Amount) -> Self {
        Parts { names: vec!["in".into(), "out".into()], amounts: vec![amount, Amount::Rest] }
    }

    /// The names of the parts, in the order that was asked for.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// How many parts there are.
    pub(super) fn len(&self) -> usize {
        self.names.len()
    }

    /// What each is to get.
    pub fn amounts(&self) -> &[Amount] {
        &self.amounts
    }
}

/// As it is typed.
impl fmt::Display for Amount {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Amount::Share(share) => write!(f, "{}%", *share as f64 / (UNIT / 100) as f64),
            Amount::Images(images) => write!(f, "{images}"),
            Amount::Rest => f.write_str("rest"),
            Amount::Kept => f.write_str("kept"),
        }
    }
}

impl FromStr for Amount {
    type Err = ();

    /// Reads `15%`, `200` or `rest`.
    fn from_str(text: &str) -> Result<Self, ()> {
        if text == "rest" {
            return Ok(Amount::Rest);
        }
        if let Some(percent) = text.strip_suffix('%') {
            let percent: f64 = percent.trim().parse().map_err(|_| ())?;
            let share = (percent / 100.0 * UNIT as f64).round();
            return if share >= 1.0 && percent <= 100.0 {
                Ok(Amount::Share(share as u64))
            } else {
                Err(())
            };
        }
        text.parse().ok().filter(|&images| images > 0).map(Amount::Images).ok_or(())
    }
}

/// As it is typed.
impl fmt::Display for Parts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let parts = self.names.iter().zip(&self.amounts);
        let parts: Vec<String> = parts.map(|(name, amount)| format!("{name}={amount}")).collect();
        f.write_str(&parts.join(","))
    }
}

/// A sum as a person would write it, without what adding in binary leaves.
fn rounded(sum: &f64) -> f64 {
    (sum * UNIT as f64).round() / UNIT as f64
}

impl FromStr for Parts {
    type Err = PartsError;

    /// Reads `train=64%,validation=16%,test=20%`, `train=rest,test=200`, and plain numbers that add up to 100 or 1,
    /// which are shares too. Shares are taken to six decimals and must add up, give or take a hundredth of a percent.
    fn from_str(text: &str) -> Result<Self, PartsError> {
        let (mut names, mut words): (Vec<String>, Vec<&str>) = (Vec::new(), Vec::new());
        for piece in text.split(',').map(str::trim) {
            let (name, amount) =
                piece.split_once('=').ok_or_else(|| PartsError::NotAPart(piece.to_owned()))?;
            let name = name.trim().to_owned();
            let is_odd = name.contains(|c: char| c.is_control() || c == '\\');
            if is_odd || check_folder_name(&name).is_err() {
                return Err(PartsError::BadName(name));
            }
            let is_same = |known: &&String| known.to_lowercase() == name.to_lowercase();
            match names.iter().find(is_same) {
                Some(known) if *known == name => return Err(PartsError::Twice(name)),
                Some(known) => return Err(PartsError::SameFolder(known.clone(), name)),
                None => {}
            }
            if name.to_lowercase() == SPLIT_TABLE {
                return Err(PartsError::TableName);
            }
            names.push(name);
            words.push(amount.trim());
        }
        if names.len() < 2 {
            return Err(PartsError::TooFew);
        }
        let plain: Option<Vec<f64>> = words.iter().map(|word| word.parse().ok()).collect();
        if let Some(numbers) = plain.filter(|numbers| numbers.iter().all(|n| *n > 0.0 && *n < 1e9))
        {
            let sum: f64 = numbers.iter().sum();
            let whole = [1.0, 100.0].into_iter().find(|whole| (sum - whole).abs() <= whole * 1e-4);
            let whole = whole.ok_or(PartsError::Ambiguous(sum))?;
            let share = |number: f64| Amount::Share((number / whole * UNIT as f64).round() as u64);
            return Ok(Parts { names, amounts: numbers.into_iter().map(share).collect() });
        }
        let amount = |(name, word): (&String, &&str)| {
            word.parse().map_err(|()| PartsError::NotAnAmount {
                name: name.clone(),
                amount: (*word).to_owned(),
            })
        };
        let amounts: Vec<Amount> =
            names.iter().zip(&words).map(amount).collect::<Result<_, _>>()?;
        let rests: Vec<&String> = names
            .iter()
            .zip(&amounts)
            .filter(|(_, a)| **a == Amount::Rest)
            .map(|(n, _)| n)
            .collect();
        let shares = amounts.iter().map(|amount| match amount {
            Amount::Share(share) => *share,
            _ => 0,
        });
        let percent = shares.sum::<u64>() as f64 / (UNIT / 100) as f64;
        match rests[..] {
            [first, second, ..] => Err(PartsError::TwoRests(first.clone(), second.clone())),
            [_] if percent > 100.0 => Err(PartsError::BadSum(percent)),
            [_] => Ok(Parts { names, amounts }),
            [] if amounts.iter().any(|a| matches!(a, Amount::Images(_))) => {
                Err(PartsError::BadSum(percent))
            }
            [] if (percent - 100.0).abs() > 0.01 => Err(PartsError::BadSum(percent)),
            [] => Ok(Parts { names, amounts }),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_are_shares_or_counts_and_anything_else_is_said() {
        let read = |text: &str| text.parse::<Parts>().map(|parts| parts.to_string());
        let sound = [
            ("train=70,validation=15,test=15", "train=70%,validation=15%,test=15%"),
            ("train=.8,test=.2", "train=80%,test=20%"),
            (" a = 33.3333 , b = 66.6667 ", "a=33.3333%,b=66.6667%"),
            ("train=64%,validation=16%,test=20%", "train=64%,validation=16%,test=20%"),
            ("train=750,validation=rest", "train=750,validation=rest"),
            ("train=rest,validation=10%,test=200", "train=rest,validation=10%,test=200"),
        ];
        for (text, shown) in sound {
            assert_eq!(read(text).as_deref(), Ok(shown), "{text}");
        }
        let message = |text: &str| read(text).unwrap_err().to_string();
        assert!(message("a=33.3,b=33.3,c=33.3").starts_with("the numbers add up to 99.9: shares"));
        assert!(message("train=100,test=50").starts_with("the numbers add up to 150: shares"));
        assert_eq!(
            message("train=80%,test=30%"),
            "the shares add up to 110%; expected 100%, or one part with =rest"
        );
        assert!(
            message("train=90%,validation=20%,test=rest").starts_with("the shares add up to 110%")
        );
        assert_eq!(message("a=rest,b=rest"), "a and b both ask for the rest; only one part can");
        assert!(
            message("train=70,test=many").starts_with("test has the amount \"many\"; expected")
        );
        assert!(message("train=70,test=-30").starts_with("test has the amount \"-30\"; expected"));
        assert_eq!(
            message("train"),
            "\"train\" is not a part; expected NAME=AMOUNT, for example train=70%"
        );
        assert!(message("train=100").starts_with("expected at least two parts"));
        assert_eq!(message("a=50,a=50"), "the part a is named twice");
        assert!(message("a=50,A=50").contains("differ only in case"));
        assert_eq!(message("a/b=50,c=50"), "\"a/b\" is not a valid folder name");
        assert!(message("split.csv=50,c=50").starts_with("a part cannot be called split.csv"));
        assert_eq!(Parts::folds(3).to_string(), "fold-1=33.3333%,fold-2=33.3333%,fold-3=33.3334%");
    }
}
