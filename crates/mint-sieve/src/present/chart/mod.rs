//! CHARTS: numbers as bars and strips, as SVG or PNG, in one look with the sheets.

mod bars;
mod calibration;
mod matrix;
mod measures;
mod paper;
mod strips;

pub use bars::{Bar, Bars, Line};
pub use calibration::Calibration;
pub use matrix::Matrix;
pub use measures::measure_strips;
pub use paper::{drawn, drawn_as_svg, refuse_other_forms};
pub use strips::{Strips, Written};
