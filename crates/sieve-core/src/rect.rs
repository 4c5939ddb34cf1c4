//! Rectangles of an image, in shares of its sides.

use crate::affine::Affine;

/// A rectangle of an image whose whole is the square from -0.5 to 0.5.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Region {
    /// The left edge.
    pub left: f32,
    /// The top edge.
    pub top: f32,
    /// The right edge.
    pub right: f32,
    /// The bottom edge.
    pub bottom: f32,
}

impl Region {
    /// The whole image.
    pub const WHOLE: Region = Region { left: -0.5, top: -0.5, right: 0.5, bottom: 0.5 };

    /// Width, as a share of the image's.
    pub fn width(&self) -> f32 {
        self.right - self.left
    }

    /// Height, as a share of the image's.
    pub fn height(&self) -> f32 {
        self.bottom - self.top
    }

    /// From the square from -0.5 to 0.5 to this part of the image.
    pub fn map(&self) -> Affine {
        let (x, y) = ((self.left + self.right) / 2.0, (self.top + self.bottom) / 2.0);
        Affine([self.width(), 0.0, x, 0.0, self.height(), y].map(f64::from))
    }

    /// The same with `margin`, a share of a side, around it, as far as the image goes.
    pub fn grown(&self, margin: f32) -> Self {
        Region {
            left: (self.left - margin).max(-0.5),
            top: (self.top - margin).max(-0.5),
            right: (self.right + margin).min(0.5),
            bottom: (self.bottom + margin).min(0.5),
        }
    }
}
