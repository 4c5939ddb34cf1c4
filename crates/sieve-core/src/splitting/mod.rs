//! SPLITTING: which picture goes to which part.
//!
//! Splits are stratified: every class is divided by the same shares. Copies, in whatever way, stay together, and so do
//! frames of one moment and pictures that a table puts into one group. The order that decides is drawn from the seed and
//! the content of the pictures alone, so neither names nor machines nor threads change it.

mod assign;
mod parts;
mod quota;

pub use assign::{Assigned, Assignment, ClassCounts, GroupId, LeftOut, assign};
pub use parts::{Parts, PartsError};

/// What is asked for.
#[derive(Clone, Debug)]
pub struct Request {
    /// The parts and their shares.
    pub parts: Parts,
    /// What the shuffle is drawn from.
    pub seed: u64,
}

#[cfg(test)]
mod tests;
