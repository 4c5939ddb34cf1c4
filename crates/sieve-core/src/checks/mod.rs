//! CHECKS: catalog and inventory to findings. Each file is one subject; each function returns the
//! findings of its subject and nothing else.

mod classes;
mod copies;
mod integrity;
mod placement;

pub use classes::{classes, spellings};
pub use copies::copies;
pub use integrity::integrity;
pub use placement::placement;

#[cfg(test)]
mod tests;
