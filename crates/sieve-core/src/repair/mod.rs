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
mod rename_table;
mod request;
mod rules;
mod targets;

pub use after::{difference, found_after, repaired};
pub use builder::{Proposal, Proposed, Subject};
pub use changes::{Change, Changes, Edit, FileOutcome, Refusal, changes};
pub use plan::{Action, COMMENT, PLAN_HEADER, Plan, Row, WrongPlan};
pub use propose::propose;
pub use rename_table::{RenameError, Renames};
pub use request::{Cap, MinImages, Prefer, RepairRequest};
pub use rules::Rule;
pub use targets::{Gathered, SplitsBecome, gathered};

#[cfg(test)]
mod tests;
