//! The frame: the picture that a model sees, and how a picture of other sides is fitted in.

use crate::affine::Affine;

/// The picture that the model sees.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Frame {
    /// Columns in pixels.
    pub width_px: u32,
    /// Rows in pixels.
    pub height_px: u32,
    /// How a picture of other sides is fitted in.
    pub fit: Fit,
}

impl Frame {
    /// The point between its corners, in pixels.
    pub fn middle(self) -> (f64, f64) {
        (f64::from(self.width_px) / 2.0, f64::from(self.height_px) / 2.0)
    }

    /// The map from points of a picture of `width_px` x `height_px` to points of the frame that fits it in, centred.
    pub fn fitting(self, width_px: u32, height_px: u32) -> Affine {
        let across = f64::from(self.width_px) / f64::from(width_px);
        let down = f64::from(self.height_px) / f64::from(height_px);
        let (sx, sy) = match self.fit {
            Fit::Cover => (across.max(down), across.max(down)),
            Fit::Contain => (across.min(down), across.min(down)),
            Fit::Stretch => (across, down),
        };
        let left = (f64::from(self.width_px) - sx * f64::from(width_px)) / 2.0;
        let top = (f64::from(self.height_px) - sy * f64::from(height_px)) / 2.0;
        Affine::scale(sx, sy, (0.0, 0.0)).then(Affine::shift(left, top))
    }
}

/// How a picture is fitted into the frame, as `object-fit` does in CSS (Images Module Level 3).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fit {
    /// Scaled until it covers the frame; what reaches beyond is cut off.
    Cover,
    /// Scaled until all of it is in the frame; the rest is filled.
    Contain,
    /// Scaled to the frame's sides, each by itself.
    Stretch,
}
