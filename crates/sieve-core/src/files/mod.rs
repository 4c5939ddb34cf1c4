//! FILES: what identifies a file, what tells that it has changed, and how it is reached without leaving a folder.
//! Everything else builds on these.

mod inside;
mod path;
mod root;
mod stamp;
mod used_paths;

pub use inside::{InsidePath, MAX_NAME_BYTES, UnsafePath, check_name};
pub(crate) use path::native_of_bytes;
pub use path::{RelPath, shown_name};
pub use root::{FileFacts, FileKind, Root};
pub use stamp::Stamp;
pub use used_paths::UsedPaths;
