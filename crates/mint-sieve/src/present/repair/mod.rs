//! The answers of `propose`, `apply`, `undo` and `gather`.

pub mod applied;
pub mod gathered;
pub mod plan;
