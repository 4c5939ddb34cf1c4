//! OBJECTS: what a bucket of object storage must offer to be read as a collection. How requests are made is not known here.

mod listed;
mod store;

pub use listed::{ListedStores, write_listing};
pub use store::{ObjectFacts, ObjectStore, ObjectStores, SCHEME, is_bucket};
