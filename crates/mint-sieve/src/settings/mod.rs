//! SETTINGS: what `mint-sieve.toml` says of a collection.

mod file;
mod limits;

pub use file::Settings;
pub use limits::{Origin, SetLimits};
