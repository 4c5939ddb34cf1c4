//! APPEARANCE: what images look like, in numbers that can be compared: which are unlike their class, what gives a class
//! away besides its content, what a class lacks and which classes look alike.
//!
//! All of it works on the thumbnails that the catalog holds, or on vectors that the user brings; nothing is decoded. Every
//! answer is about independent images: copies and burst frames count once.

mod neighbours;
mod numbers;
mod ridge;
mod source;
mod subject;
mod typicality;

pub use numbers::{NUMBERS, numbers};
pub use source::{Source, Space};
pub use subject::{ClassImages, Excluded, Reason, Subject};

pub use typicality::{unlike_class, unlike_class_by_vectors};

/// Principal components of [`numbers()`] in which images are compared.
const COMPONENTS: usize = 32;
pub use neighbours::{Distances, distances_between, nearest_among, nearest_of_classes};
pub use ridge::{Ridge, balanced_scores};

#[cfg(test)]
mod tests;
