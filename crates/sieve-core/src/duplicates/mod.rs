//! DUPLICATES: pictures that are there more than once.
//!
//! 1. Files with the same bytes, by their digests; one of them stands for all from here on.
//! 2. Files with the same pixels: those whose fingerprints meet are decoded and compared.
//! 3. Candidates: pictures whose fingerprints meet, and, at wide reach, pictures of which some view
//!    looks like a view of another, found by a forest over short vectors.
//! 4. Each candidate is laid over the other and weighed ([`crate::likeness`]); what is left in doubt is looked
//!    at again, larger.
//! 5. Pictures that go with one third are laid over each other, too.
//! 6. What lies close together in time or name and looks alike is a burst.
//! 7. Pairs make groups; chains are cut.

mod alike;
mod burst;
mod candidates;
mod closing;
mod find;
mod forest;
mod grouping;
mod kind;
mod meeting;
mod pixels;
mod second_looks;
mod subjects;
mod verify;

pub use alike::{Alike, nearest};
pub use candidates::{Candidate, wide as wide_candidates};
pub use find::{Found, Group, Member, Pair, Reach, Request, Why, Within, find};
pub use kind::Kind;
pub use meeting::{RADIUS_BITS, meet};
pub use subjects::{Picture, Side};
