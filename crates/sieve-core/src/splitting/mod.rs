//! SPLITTING: which image goes to which part.
//!
//! Images that belong together make a group, which is never cut. How many groups of each kind go to each part is
//! searched for ([`search`]), so that every class, every stratum and the whole come as near as can be to what is asked
//! for; which groups these are is drawn from the seed and the content of the images alone, so neither names nor
//! machines nor threads change it.

mod assign;
mod by_digest;
mod groups;
mod parts;
mod places;
mod previous_split;
mod proof;
mod request;
mod search;
mod split_table;
mod split_writer;
mod targets;
mod verify;

pub use assign::{Assignment, ClassCounts, assign};
pub use by_digest::{DigestAssignment, DigestTable, assign_by_digest};
pub use groups::{Assigned, Eligible, GroupId, LeftOut, eligible};
pub use parts::{Amount, Parts, PartsError};
pub use places::{Placing, places};
pub use previous_split::Earlier;
pub use proof::{SplitViolation, violations};
pub use request::{Conflicts, GroupingRules, Per, Request, Stratum, Subset};
pub use split_table::{SplitRow, SplitTable};
pub use split_writer::SplitWriter;
pub use targets::SplitError;
pub use verify::{Place, Verdict, verify};

#[cfg(test)]
mod tests;
