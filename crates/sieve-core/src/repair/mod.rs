//! REPAIR: findings and wishes to a plan that a person reviews, and a reviewed plan to changes of files.

mod caps;
mod changes;
mod classes;
mod copies;
mod draft;
mod files;
mod outcome;
mod plan;
mod proposing;
mod rules;
mod targets;
mod wishes;

pub use changes::{Change, Changes, Edit, Fate, Refusal, changes};
pub use draft::{Proposal, Proposed, Subject};
pub use outcome::{difference, found_after, repaired};
pub use plan::{Action, COMMENT, PLAN_HEADER, Plan, Row, WrongPlan};
pub use proposing::propose;
pub use rules::Rule;
pub use targets::{Gathered, SplitsBecome, gathered};
pub use wishes::{AtLeast, Cap, Prefer, Renames, Wishes};

#[cfg(test)]
mod tests;
