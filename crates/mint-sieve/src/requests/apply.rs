//! How a plan is applied.

use std::path::PathBuf;

use crate::args::ApplyArgs;

/// How a plan is applied.
#[derive(Clone, Debug)]
pub struct ApplyRequest {
    /// The plan.
    pub plan: PathBuf,
    /// The new folder; none in place.
    pub to: Option<PathBuf>,
    /// Whether the collection itself is changed.
    pub in_place: bool,
    /// Whether nothing is changed.
    pub is_dry_run: bool,
    /// Whether files with undecided rows are left unchanged.
    pub skip_undecided: bool,
    /// Whether everything is listed.
    pub all: bool,
}

impl From<&ApplyArgs> for ApplyRequest {
    fn from(args: &ApplyArgs) -> Self {
        ApplyRequest {
            plan: args.plan.clone(),
            to: args.to.clone(),
            in_place: args.in_place,
            is_dry_run: args.dry_run,
            skip_undecided: args.skip_undecided,
            all: args.all,
        }
    }
}
