//! REPAIR: findings and wishes to a plan that a person reviews, and a reviewed plan to changes of files.

mod after;
mod builder;
mod caps;
mod changes;
mod classes;
mod copies;
mod files;
mod plan;
mod propose;
mod request;
mod rules;
mod targets;

pub use after::{difference, found_after, repaired};
pub use builder::{Proposal, Proposed, Subject};
pub use changes::{Change, Changes, Edit, FileOutcome, Refusal, changes};
pub use plan::{Action, COMMENT, PLAN_HEADER, Plan, Row, WrongPlan};
pub use propose::propose;
pub use request::{Cap, MinImages, Prefer, Renames, RepairRequest};
pub use rules::Rule;
pub use targets::{Gathered, SplitsBecome, gathered};

#[cfg(test)]
mod tests;
