//! Parts of a collection that machines measure on their own.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use crate::files::RelPath;
use crate::measuring::MEASURING_VERSION;
use crate::reading::ReadLimits;

/// What the head of every part says that it is.
pub const SCHEMA: &str = "mint-sieve/part/1";

/// Parts of a collection, at most.
const MOST_PARTS: u32 = 100_000;

/// One of the parts that a collection is measured in, `K/N`, with K from 1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Part {
    /// Which one, from 1.
    pub number: u32,
    /// Of how many.
    pub of: u32,
}

impl Part {
    /// Whether the file at `path` belongs to it. That depends on nothing but the path, so files that are added later move no
    /// other one to another part.
    pub fn holds(&self, path: &RelPath) -> bool {
        let digest = blake3::hash(path.native_bytes());
        let bytes = digest.as_bytes()[..8].try_into().expect("a digest has 32 bytes");
        u64::from_le_bytes(bytes) % u64::from(self.of.max(1)) == u64::from(self.number) - 1
    }
}

impl FromStr for Part {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let numbers = text.split_once('/').and_then(|(number, of)| {
            Some(Part { number: number.parse().ok()?, of: of.parse().ok()? })
        });
        numbers
            .filter(|part| (1..=part.of).contains(&part.number) && part.of <= MOST_PARTS)
            .ok_or_else(|| "expected K/N with K from 1 to N, for example 3/16".to_owned())
    }
}

impl fmt::Display for Part {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.number, self.of)
    }
}

/// What a part says of itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartHead {
    /// [`SCHEMA`].
    pub schema: String,
    /// The version of what is measured ([`MEASURING_VERSION`]).
    pub measuring_version: u32,
    /// Which part it is.
    pub part: Part,
    /// The limits that images were read under, in the order of [`ReadLimits::numbers`].
    pub limits: Vec<u64>,
}

impl PartHead {
    /// The head of a part that is measured now.
    pub fn new(part: Part, limits: &ReadLimits) -> Self {
        PartHead {
            schema: SCHEMA.to_owned(),
            measuring_version: MEASURING_VERSION,
            part,
            limits: limits.numbers().to_vec(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_path_belongs_to_one_part() {
        for wrong in ["0/4", "5/4", "1", "1/0", "a/b", "-1/4", "1/100001", ""] {
            assert!(wrong.parse::<Part>().is_err(), "{wrong}");
        }
        let paths = (0..400).map(|n| RelPath::new(format!("bay/{n}.jpg").as_ref()));
        let parts: Vec<Part> = (1..=7).map(|k| format!("{k}/7").parse().unwrap()).collect();
        let mut sizes = [0; 7];
        for path in paths {
            let holding: Vec<usize> = (0..7).filter(|&at| parts[at].holds(&path)).collect();
            assert_eq!(holding.len(), 1, "{path}");
            sizes[holding[0]] += 1;
        }
        assert!(sizes.iter().all(|&size| (30..90).contains(&size)), "{sizes:?}");
    }
}
