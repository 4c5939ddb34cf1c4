//! LIKENESS: whether two pictures show the same thing, and how one lies on the other.
//!
//! [`looked_for`] and [`looked_among`] give short vectors of the views that two copies may have in
//! common, for a search to find. What is found is laid over each other by [`compare`], and a
//! [`Verdict`] weighs how well it fits. What then seems to be the same is looked at closely ([`Features`]), and all that is
//! known of it is weighed together ([`Examined`]).

mod align;
mod blocks;
mod chroma;
mod closely;
mod compare;
mod copies;
mod details;
mod distortion;
mod eight;
mod evidence;
mod frame;
mod normal;
mod outline;
mod placing;
mod plane;
mod tone;
mod verdict;
mod view;
mod weights;

pub use crate::region::Region;
pub use closely::{CLOSE, Features};
pub use compare::{Looked, Room, Start, compare, compare_closely};
pub use copies::{Examined, FITTED, WEIGHED, is_plain};
pub use evidence::{EVIDENCE, Evidence};
pub use outline::Outline;
pub use placing::Placing;
pub use plane::Planes;
pub use verdict::Verdict;
pub use view::{
    DIMENSIONS, Subject, Turn, Vector, View, cosine, least_product, looked_among, looked_for,
    moment, whole_view,
};
