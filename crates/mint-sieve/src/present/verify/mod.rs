//! The answers of `verify`: about a split and about a pack.

mod pack;
mod split;

pub use pack::VerifiedPack;
pub use split::Verified;
