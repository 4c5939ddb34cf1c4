//! A SMALL LEARNER: a convolutional network of about 300,000 weights that is trained in a minute on frames of 32 x 32
//! pixels, to compare policies and repairs with each other before a model of any size is paid for.
//!
//! It is no model to be used: it says which of two ways of training works better at its own size.

mod convolution;
mod network;
mod optimiser;
mod training;

pub use network::{CHANNELS, FRAME_VALUES, SIDE_PX};
pub use training::{Frames, Lesson, Outcome, train};
