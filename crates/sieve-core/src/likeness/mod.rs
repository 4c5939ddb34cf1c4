//! LIKENESS: whether two images show the same thing, and how one lies on the other.
//!
//! [`query_views`] and [`index_views`] give short vectors of the views that two copies may have in
//! common, for a search to find. What is found is laid over each other by [`compare()`], and a
//! [`Verdict`] weighs how well it fits. What then seems to be the same is looked at closely ([`CloseFeatures`]), and all that is
//! known of it is weighed together ([`CloseComparison`]).

mod align;
mod alignment_features;
mod blocks;
mod border;
mod chroma;
mod close_features;
mod compare;
mod copy_model;
mod descriptor;
mod details;
mod distortion;
mod least_squares;
mod placement;
mod plane;
mod tone;
mod verdict;
mod view;
mod weights;

pub use crate::rect::Region;
pub use alignment_features::{ALIGNMENT_FEATURES, AlignmentFeatures};
pub use close_features::{CLOSE_FEATURES, CloseFeatures};
pub use compare::{ComparisonResult, Scratch, Start, compare, compare_closely};
pub use copy_model::{CloseComparison, FITTED, WEIGHED, is_plain};
pub use descriptor::Descriptor;
pub use placement::Placing;
pub use plane::Planes;
pub use verdict::Verdict;
pub use view::{
    DIMENSIONS, ImagePyramid, Turn, Vector, View, cosine, index_views, least_product, moment,
    query_views, whole_view,
};
