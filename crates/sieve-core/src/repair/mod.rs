//! REPAIR: findings and wishes to a plan that a person reviews, and a reviewed plan to changes of files.

mod caps;
mod changes;
mod classes;
mod copies;
mod builder;
mod files;
mod after;
mod plan;
mod propose;
mod rules;
mod targets;
mod request;

pub use changes::{Change, Changes, Edit, FileOutcome, Refusal, changes};
pub use builder::{Proposal, Proposed, Subject};
pub use after::{difference, found_after, repaired};
pub use plan::{Action, COMMENT, PLAN_HEADER, Plan, Row, WrongPlan};
pub use propose::propose;
pub use rules::Rule;
pub use targets::{Gathered, SplitsBecome, gathered};
pub use request::{MinImages, Cap, Prefer, Renames, RepairRequest};

#[cfg(test)]
mod tests;
