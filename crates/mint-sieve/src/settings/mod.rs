//! SETTINGS: what `mint-sieve.toml` says of a collection.

mod file;
mod limits;
mod words;

pub use file::Settings;
pub use limits::{Origin, SetLimits};
pub use words::split_folders;
