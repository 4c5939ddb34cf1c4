//! FILES: what identifies a file and what tells that it has changed. Everything else builds on these.

mod path;
mod stamp;

pub(crate) use path::native_of_bytes;
pub use path::{RelPath, shown_name};
pub use stamp::Stamp;
