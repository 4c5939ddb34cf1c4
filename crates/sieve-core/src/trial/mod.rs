//! A TRIAL: a small learner is trained in minutes on the catalog's thumbnails, to answer what costs a day otherwise: whether a
//! policy helps, what a model would rely on, whether more images would help, and which classes it cannot tell apart.
//!
//! Every answer carries how far it can be trusted. A trial sees 32 x 32 pixels and a few hundred images; a large model may
//! rank policies differently.

mod compare;
mod curve;
mod frames;
mod out_of_fold;
mod reliance;
mod runs;
mod sample;
mod view;

pub use compare::{Comparison, Difference, Judgement, compare, paired};
pub use curve::{ClassCurve, Curve, More, SHARES, curve};
pub use out_of_fold::{FOLDS, FoldError, FoldSettings, OutOfFold, out_of_fold};
pub use reliance::{Reliance, ViewScore, reliance};
pub use runs::{Course, NoRuns, RunCache, Trial, images_shown, short_of};
pub use sample::{Pick, Sample, Unusable};
pub use view::View;

#[cfg(test)]
mod tests;
