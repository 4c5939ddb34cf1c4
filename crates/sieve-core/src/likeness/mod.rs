//! LIKENESS: whether two pictures show the same thing, and how one lies on the other.
//!
//! [`looked_for`] and [`looked_among`] give short vectors of the views that two copies may have in
//! common, for a search to find. What is found is laid over each other by [`compare`], and a
//! [`Verdict`] weighs how well it fits; what that leaves as a [`Doubt`], larger pictures settle.

mod align;
mod blocks;
mod chroma;
mod compare;
mod details;
mod distortion;
mod eight;
mod evidence;
mod frame;
mod mark;
mod normal;
mod placing;
mod plane;
mod second_look;
mod verdict;
mod view;
mod weights;

pub use compare::{Looked, Room, Start, compare, compare_closely};
pub use evidence::{EVIDENCE, Evidence};
pub use frame::Region;
pub use placing::Placing;
pub use plane::Planes;
pub use second_look::Doubt;
pub use verdict::Verdict;
pub use view::{
    DIMENSIONS, Subject, Turn, Vector, View, cosine, least_product, looked_among, looked_for,
    moment,
};
