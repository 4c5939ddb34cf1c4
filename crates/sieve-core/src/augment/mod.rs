//! AUGMENTATION: what a policy does to an image.
//!
//! A [`Policy`] is a list of steps, each with its chance and its range. [`Policy::draw`] draws what
//! happens to one image once; [`Draw::apply`] carries it out. All geometry of a draw becomes one
//! matrix and one resampling, so that pixels are interpolated once, however many steps there are.

mod canvas;
mod colour;
pub mod cost;
pub mod draft;
mod draw;
mod frame;
mod parse;
mod policy;
mod prepared;
mod projective;
pub mod steps;
mod tone_cost;
mod warp;

pub use crate::affine::Affine;
pub use draw::{Augmented, Draw, DrawnStep, Occasion};
pub use frame::{Colours, Fit, Frame, Sampling};
pub use parse::PolicyError;
pub use policy::{Classes, Fill, Pick, Policy, Step};
pub use prepared::{SourcePyramid, averaged};
pub use projective::Projective;
pub use warp::{Warped, warp};
