//! How `split` was requested, as its answer repeats it.

use std::path::PathBuf;

use sieve_core::splitting::Amount;

use crate::args::SplitArgs;
use crate::writing::Link;

/// What an answer of `split` says about its request, beside what the core was asked.
#[derive(Clone, Debug)]
pub struct SplitRequest {
    /// Whether everything is listed.
    pub all: bool,
    /// The parts as they were typed; none where the default or folds apply.
    pub parts: Option<String>,
    /// The number of folds.
    pub folds: Option<u64>,
    /// The random subset that is split.
    pub subset: Option<Amount>,
    /// Facts or columns that are balanced within each class.
    pub strata: Vec<String>,
    /// Patterns and words by which images are grouped.
    pub group_by: Vec<String>,
    /// The split that new parts are carved out of.
    pub from: Option<String>,
    /// Whether a collection that is split is split again.
    pub is_resplit: bool,
    /// Whether gaps are accepted.
    pub is_forced: bool,
    /// Whether the reach was set.
    pub has_reach: bool,
    /// The table of the earlier split.
    pub keep: Option<PathBuf>,
    /// Parts that stay as they are.
    pub lock: Vec<String>,
    /// The new folder.
    pub to: Option<PathBuf>,
    /// How files get into it.
    pub link: Link,
    /// The split table.
    pub out: Option<PathBuf>,
    /// The seed of the shuffle.
    pub seed: u64,
}

impl From<&SplitArgs> for SplitRequest {
    fn from(args: &SplitArgs) -> Self {
        SplitRequest {
            all: args.all,
            parts: args.parts.clone(),
            folds: args.folds,
            subset: args.subset,
            strata: args.strata.clone(),
            group_by: args.group_by.iter().map(ToString::to_string).collect(),
            from: args.from.clone(),
            is_resplit: args.resplit,
            is_forced: args.force,
            has_reach: args.reach.is_some(),
            keep: args.keep.clone(),
            lock: args.lock.clone(),
            to: args.to.clone(),
            link: args.link,
            out: args.out.clone(),
            seed: args.seed,
        }
    }
}
