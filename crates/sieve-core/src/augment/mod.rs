//! AUGMENTATION: what a policy does to a picture.
//!
//! A [`Policy`] is a list of steps, each with its chance and its range. [`Policy::draw`] draws what
//! happens to one picture once; [`Draw::apply`] carries it out. All geometry of a draw becomes one
//! matrix and one resampling, so that pixels are interpolated once, however many steps there are.

mod draw;
mod frame;
mod geometry_cost;
mod policy;
pub mod steps;
mod tone;
mod tone_cost;
mod warp;

pub use crate::affine::Affine;
pub use draw::{Draw, DrawnStep};
pub use frame::{Fit, Frame};
pub use geometry_cost::{GeometryCost, Mean, geometry};
pub use policy::{Fill, Policy, PolicyError, Step};
pub use tone::Tone;
pub use tone_cost::ToneCost;
pub use warp::{Warped, averaged, warp};
