//! What a person asks for beside what is wrong.

use std::collections::BTreeSet;

use super::rename_table::Renames;
use super::rules::Rule;
pub use crate::duplicates::Prefer;
use crate::files::RelPath;
use crate::finding::Code;
use crate::reading::Format;

/// What is to be proposed.
#[derive(Clone, Debug, Default)]
pub struct RepairRequest {
    /// The rules that apply.
    pub rules: BTreeSet<Rule>,
    /// Splits from which nothing is dropped as a copy or leak.
    pub protect: Vec<String>,
    /// What decides which of several copies stays, the first that tells them apart.
    pub prefer: Vec<Prefer>,
    /// How many burst frames stay.
    pub bursts: Option<usize>,
    /// How many images of a class stay.
    pub cap: Option<Cap>,
    /// The classes that stay.
    pub classes: Option<BTreeSet<String>>,
    /// New names of classes.
    pub renames: Option<Renames>,
    /// The floor of a class.
    pub min_images: Option<MinImages>,
    /// Codes of findings whose images go.
    pub drop_codes: Vec<Code>,
    /// Files that go.
    pub drop_list: BTreeSet<RelPath>,
    /// Formats that become PNG.
    pub convert: Vec<Format>,
    /// Chance, where it decides.
    pub seed: u64,
}

impl RepairRequest {
    /// Every repair that needs no option of its own.
    pub fn usual(seed: u64) -> Self {
        RepairRequest {
            rules: Rule::ALL.iter().copied().filter(|rule| rule.is_usual()).collect(),
            prefer: Prefer::ALL.to_vec(),
            seed,
            ..RepairRequest::default()
        }
    }
}

/// How many images of a class stay.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cap {
    /// So many.
    Images(usize),
    /// As many as the smallest class has.
    Smallest,
}

/// The floor of a class.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MinImages {
    /// Images.
    pub images: usize,
    /// The class that smaller ones become; none where they are dropped.
    pub into: Option<String>,
}
