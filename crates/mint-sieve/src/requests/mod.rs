//! What is asked for, one type for each command that several others use: built once, from arguments or by another command,
//! and all that presenters see of it.

mod preview;

pub use preview::PreviewRequest;
