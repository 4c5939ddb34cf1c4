//! The painter of the demo collection: single leaves, photographed on trays in a herb-drying shed.
//!
//! Everything is made up and painted from a seed. [`paint`] makes one image, [`encode`] turns it
//! into a file, [`collection`] writes a whole folder-per-class collection with [`faults`] planted
//! on purpose, and says which, so that a check can be measured against what is really there.

pub mod collection;
pub mod encode;
pub mod faults;
pub mod paint;
