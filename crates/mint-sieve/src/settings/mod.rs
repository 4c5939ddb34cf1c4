//! SETTINGS: what `mint-sieve.toml` says of a collection.

mod file;
mod limits;
mod words;

pub use file::Settings;
pub use limits::{Origin, SetLimits};
pub use words::{
    class_depth, columns_in_words, columns_of_words, depth_in_words, split_folders,
    splits_in_words, toml_string,
};
