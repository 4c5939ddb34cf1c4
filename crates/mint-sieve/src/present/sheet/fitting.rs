//! An image in another size.

use sieve_core::augment::{Draw, Fill, Fit, Frame, Policy, SourcePyramid};
use sieve_core::reading::Pixels;

/// All of an image, as large as fits into these sides.
pub fn within(pixels: &Pixels, width_px: u32, height_px: u32) -> Pixels {
    let (width, height) = (f64::from(pixels.width_px), f64::from(pixels.height_px));
    let scale = (f64::from(width_px) / width).min(f64::from(height_px) / height);
    let side = |length: f64, most: u32| ((length * scale).round() as u32).clamp(1, most);
    let policy = Policy {
        frame: Frame::new(side(width, width_px), side(height, height_px), Fit::Stretch),
        fill: Fill::Edge,
        strength: 1.0,
        steps: Vec::new(),
        picks: Vec::new(),
    };
    Draw::NOTHING.apply(&SourcePyramid::new(pixels), &policy).pixels
}
