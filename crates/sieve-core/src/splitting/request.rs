//! What is asked of a split.

use super::parts::{Amount, Parts};
use super::previous_split::Earlier;
use crate::attributes::Fact;
use crate::collection::Pattern;
use crate::measuring::Measured;
use crate::record::Record;

/// What is asked for.
#[derive(Clone, Debug, Default)]
pub struct Request {
    /// The parts and what each is to get.
    pub parts: Parts,
    /// What counts are of.
    pub per: Per,
    /// What the shuffle is drawn from.
    pub seed: u64,
    /// What stays together.
    pub together: GroupingRules,
    /// What becomes of one image under several classes.
    pub conflicts: Conflicts,
    /// What is balanced within each class.
    pub strata: Vec<Stratum>,
    /// Where images were before: they stay there.
    pub earlier: Option<Earlier>,
    /// The split that parts are taken out of; the other splits of the collection stay what they are, as parts of their
    /// own. None where all of it is split.
    pub from: Option<String>,
    /// Names of parts that take nothing new.
    pub locked: Vec<String>,
    /// How much is split at all; none for everything.
    pub subset: Option<Subset>,
}

/// What an amount in images is of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Per {
    /// Of all images.
    #[default]
    All,
    /// Of each class.
    Class,
}

/// What tells images of one class apart that are to be in every part alike.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stratum {
    /// Something that is known of each image.
    Fact(Fact),
    /// A column of a table, or a part of a pattern, by its place in [`crate::collection::Collection::extra`].
    Column(usize),
}

impl Stratum {
    /// The value of an image.
    pub fn value(self, record: &Record, measured: &Measured) -> String {
        match self {
            Stratum::Fact(fact) => fact.value(record, measured),
            Stratum::Column(at) => {
                let extra = record.place.extra.as_ref();
                extra.and_then(|extra| extra.values.get(at)).cloned().unwrap_or_default()
            }
        }
    }
}

/// How much is taken before anything is split.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Subset {
    /// How much.
    pub amount: Amount,
    /// Of all images, or of each class.
    pub per: Per,
}

/// What stays together beside what a table or name declares.
#[derive(Clone, Debug)]
pub struct GroupingRules {
    /// Copies and burst frames.
    pub copies: bool,
    /// Images for which the named parts of one of these patterns are the same.
    pub patterns: Vec<Pattern>,
    /// Images of one folder.
    pub folder: bool,
    /// Variants of one design.
    pub variants: bool,
}

impl Default for GroupingRules {
    fn default() -> Self {
        GroupingRules { copies: true, patterns: Vec::new(), folder: false, variants: false }
    }
}

/// What becomes of copies under several classes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Conflicts {
    /// They are left out: at most one of their labels is right.
    #[default]
    LeaveOut,
    /// They are kept, all in one part.
    Keep,
}
