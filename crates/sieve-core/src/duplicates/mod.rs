//! DUPLICATES: images that are there more than once.
//!
//! 1. Files with the same bytes, by their digests; one of them stands for all from here on.
//! 2. Files with the same pixels: those whose fingerprints meet are decoded and compared.
//! 3. Candidates: images whose fingerprints meet, and, at wide reach, images of which some view
//!    looks like a view of another, found by a forest over short vectors.
//! 4. Each candidate is laid over the other and weighed ([`crate::likeness`]); what seems to be the same is looked
//!    at closely, from the files.
//! 5. How alike different images of the collection get, and how many of all these pairs look like copies, decides what
//!    is called one. Small images are recognised by the first alone.
//! 6. Images that go with one third are laid over each other, too.
//! 7. What lies close together in time or name and looks alike is a burst.
//! 8. Pairs make groups; chains are cut.
//!
//! The whole answer is kept in the catalog.

mod answer_cache;
mod burst_by_name;
mod burst_by_time;
mod candidates;
mod clustering;
mod filename_rank;
mod find;
mod forest;
mod groups;
mod hamming;
mod image_set;
mod keep;
mod kind;
mod nearest;
mod null_model;
mod originals;
mod pair_verdicts;
mod pixels;
mod prefer;
mod prior;
mod recheck;
mod replaying;
mod report;
mod request;
mod same_bytes;
mod scorer;
mod small_images;
mod transitive;
mod verify;

pub use candidates::{Candidate, wide as wide_candidates};
pub use filename_rank::Naming;
pub use find::{Weighed, find, weighed};
pub use hamming::{RADIUS_BITS, union_near};
pub use image_set::{CollectionRef, ImageRef};
pub use keep::ranked;
pub use kind::Kind;
pub use nearest::{Neighbour, nearest};
pub use null_model::SimilarityThreshold;
pub use prefer::Prefer;
pub use report::{DuplicateReport, Group, Member, Pair};
pub use request::{Reach, Request, Within};
