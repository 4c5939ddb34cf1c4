//! The answer of `audit`.

mod json;
mod text;

pub use json::json;
pub use text::text;
