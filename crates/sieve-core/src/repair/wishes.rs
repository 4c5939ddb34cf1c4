//! What a person asks for beside what is wrong.

use std::collections::{BTreeMap, BTreeSet};

use super::rules::Rule;
use crate::files::RelPath;
use crate::finding::Code;
use crate::reading::Format;

/// What is to be proposed.
#[derive(Clone, Debug, Default)]
pub struct Wishes {
    /// The rules that apply.
    pub rules: BTreeSet<Rule>,
    /// Splits from which nothing is dropped as a copy or leak.
    pub protect: Vec<String>,
    /// What decides which of several copies stays, the first that tells them apart.
    pub prefer: Vec<Prefer>,
    /// How many frames of one moment stay.
    pub bursts: Option<usize>,
    /// How many images of a class stay.
    pub cap: Option<Cap>,
    /// The classes that stay.
    pub classes: Option<BTreeSet<String>>,
    /// New names of classes.
    pub renames: Option<Renames>,
    /// The floor of a class.
    pub at_least: Option<AtLeast>,
    /// Codes of findings whose images go.
    pub drop_codes: Vec<Code>,
    /// Files that go.
    pub drop_list: BTreeSet<RelPath>,
    /// Formats that become PNG.
    pub convert: Vec<Format>,
    /// Chance, where it decides.
    pub seed: u64,
}

/// What speaks for one of several copies.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Prefer {
    /// It has the most pixels.
    Pixels,
    /// It is the least compressed: it has the most bytes.
    Bytes,
    /// Its file is the oldest.
    Oldest,
    /// Its name is the plainest: like its siblings' but for the number, or else the shortest.
    Name,
}

impl Prefer {
    /// In the usual order.
    pub const ALL: [Prefer; 4] = [Prefer::Pixels, Prefer::Bytes, Prefer::Oldest, Prefer::Name];

    /// As it is typed.
    pub fn name(self) -> &'static str {
        match self {
            Prefer::Pixels => "pixels",
            Prefer::Bytes => "bytes",
            Prefer::Oldest => "oldest",
            Prefer::Name => "name",
        }
    }

    /// What a picture that it speaks for has, to go on after "which".
    pub fn reason(self) -> &'static str {
        match self {
            Prefer::Pixels => "has the most pixels",
            Prefer::Bytes => "is the least compressed",
            Prefer::Oldest => "is the oldest file",
            Prefer::Name => "has the plainest name",
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
pub struct AtLeast {
    /// Images.
    pub images: usize,
    /// The class that smaller ones become; none where they are dropped.
    pub into: Option<String>,
}

/// New names of classes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Renames {
    /// Old names to new ones.
    pub names: BTreeMap<String, String>,
}
