//! LIKENESS: whether two pictures show the same thing, and how one lies on the other.
//!
//! [`looked_for`] and [`looked_among`] give short vectors of the views that two copies may have in
//! common, for a search to find. What is found is laid over each other by [`compare`], and a
//! [`Verdict`] weighs how well it fits.

mod align;
mod chroma;
mod compare;
mod details;
mod distortion;
mod eight;
mod evidence;
mod frame;
mod normal;
mod placing;
mod plane;
mod verdict;
mod view;

pub use compare::{Looked, Room, Start, compare, compare_closely};
pub use evidence::{EVIDENCE, Evidence};
pub use frame::Region;
pub use placing::Placing;
pub use plane::Planes;
pub use verdict::Verdict;
pub use view::{
    DIMENSIONS, Subject, Turn, Vector, View, cosine, least_product, looked_among, looked_for,
    moment,
};
