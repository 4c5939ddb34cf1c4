//! The parts of a split and their shares.

use std::str::FromStr;

use crate::collection::SPLIT_TABLE;

/// Two parts or more, each with its share of the pictures.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parts {
    names: Vec<String>,
    /// In millionths of what was typed, so that shares are compared without rounding.
    weights: Vec<u64>,
}

/// Why a text names no parts.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PartsError {
    /// A piece is not `NAME=SHARE`.
    #[error("{0:?} is not a part; expected NAME=SHARE, for example train=70")]
    NotAPart(String),
    /// A share is no positive number.
    #[error("the share of {name} is {share:?}; expected a number above 0")]
    NotAShare {
        /// The part.
        name: String,
        /// What was typed.
        share: String,
    },
    /// A name would not do as the name of a folder.
    #[error("{0:?} cannot be the name of a folder")]
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
    #[error("expected at least two parts, for example train=80,test=20")]
    TooFew,
    /// The shares do not add up.
    #[error(
        "the shares add up to {0}; expected shares of all pictures that add up to 100 (percent) or 1"
    )]
    BadSum(f64),
}

/// Millionths in one.
const UNIT: u64 = 1_000_000;

impl Parts {
    /// The names of the parts, in the order that was asked for.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// How many parts there are.
    pub(super) fn len(&self) -> usize {
        self.names.len()
    }

    /// The shares in a common unit.
    pub(super) fn weights(&self) -> &[u64] {
        &self.weights
    }

    /// The shares, from 0 to 1.
    pub fn shares(&self) -> Vec<f64> {
        let sum: u64 = self.weights.iter().sum();
        self.weights.iter().map(|&weight| weight as f64 / sum as f64).collect()
    }
}

impl FromStr for Parts {
    type Err = PartsError;

    /// Reads `train=70,validation=15,test=15`, in percent or in shares of 1. Shares are taken to
    /// six decimals and must add up to 100 or 1, give or take a hundredth of a percent.
    fn from_str(text: &str) -> Result<Self, PartsError> {
        let (mut names, mut weights): (Vec<String>, Vec<u64>) = (Vec::new(), Vec::new());
        for piece in text.split(',').map(str::trim) {
            let (name, share) =
                piece.split_once('=').ok_or_else(|| PartsError::NotAPart(piece.to_owned()))?;
            let (name, share) = (name.trim().to_owned(), share.trim());
            let is_folder = !name.is_empty()
                && !name.starts_with('.')
                && !name.contains(|c: char| c.is_control() || "/\\".contains(c));
            if !is_folder {
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
            let weight = share.parse::<f64>().ok().filter(|share| *share <= 1e9);
            let weight = weight.map(|share| (share * UNIT as f64).round() as u64);
            match weight.filter(|&weight| weight > 0) {
                Some(weight) => weights.push(weight),
                None => return Err(PartsError::NotAShare { name, share: share.to_owned() }),
            }
            names.push(name);
        }
        if names.len() < 2 {
            return Err(PartsError::TooFew);
        }
        let sum: u64 = weights.iter().sum();
        if sum.abs_diff(UNIT) > UNIT / 10_000 && sum.abs_diff(100 * UNIT) > UNIT / 100 {
            return Err(PartsError::BadSum(sum as f64 / UNIT as f64));
        }
        Ok(Parts { names, weights })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_in_percent_and_in_ones_are_the_same() {
        let percent: Parts = "train=70, validation=15,test=15".parse().unwrap();
        let ones: Parts = "train=.7,validation=0.15,test=0.15".parse().unwrap();
        assert_eq!(percent.shares(), ones.shares());
        assert_eq!(percent.names(), ["train", "validation", "test"]);
        assert!("a=33.33,b=33.33,c=33.33".parse::<Parts>().is_ok());
    }

    #[test]
    fn what_names_no_parts_says_why() {
        let error = |text: &str| text.parse::<Parts>().unwrap_err();
        assert_eq!(error("train"), PartsError::NotAPart("train".into()));
        assert_eq!(error("train=70,"), PartsError::NotAPart("".into()));
        assert_eq!(error("../x=70,test=30"), PartsError::BadName("../x".into()));
        assert_eq!(error("a=50,a=50"), PartsError::Twice("a".into()));
        assert_eq!(error("a=100"), PartsError::TooFew);
        assert_eq!(error("a=70,b=40"), PartsError::BadSum(110.0));
        assert_eq!(error("train=320,test=40"), PartsError::BadSum(360.0));
        assert_eq!(error("A=50,a=50"), PartsError::SameFolder("A".into(), "a".into()));
        assert_eq!(error("Split.csv=50,a=50"), PartsError::TableName);
        for share in ["0", "-1", "x", "NaN", "inf", ""] {
            let expected = PartsError::NotAShare { name: "a".into(), share: share.into() };
            assert_eq!(error(&format!("a={share},b=1")), expected);
        }
    }
}
