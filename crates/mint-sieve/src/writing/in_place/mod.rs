//! Changes within a folder: written down before they are made, so that they can be gone on with, and taken back.

mod journal;
mod moves;
mod prepare;
#[cfg(test)]
mod tests;

pub use journal::{FILE, Journal, State, find, locked};
pub use moves::{carry_out, sweep, take_back};
pub use prepare::{Made, prepare};
