//! The frame: the image that a model sees, and how an image of other sides is fitted in.

use std::fmt;
use std::str::FromStr;

use crate::affine::Affine;

/// Sides of a frame in pixels, at most: no model sees more.
pub const MAX_SIDE_PX: u32 = 4096;

/// The image that the model sees.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Frame {
    /// Columns in pixels.
    pub width_px: u32,
    /// Rows in pixels.
    pub height_px: u32,
    /// How an image of other sides is fitted in.
    pub fit: Fit,
    /// The colour beside an image that does not cover the frame; without one it is filled as what lies outside is.
    pub background: Option<[u8; 3]>,
    /// What the model sees of colours.
    pub colours: Colours,
    /// How values between pixels are had.
    pub sampling: Sampling,
}

/// What the model sees of colours.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Colours {
    /// Red, green and blue.
    #[default]
    Rgb,
    /// Luma (ITU-R BT.709) in all three.
    Grey,
}

/// How values between pixels are had.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Sampling {
    /// From the 2 x 2 pixels around a point.
    #[default]
    Bilinear,
    /// From the 4 x 4 around it (Keys, Cubic convolution interpolation, 1981, with a = -1/2).
    Cubic,
}

impl Frame {
    /// A frame of these sides that shows an image as [`Fit`] says, in colours.
    pub fn new(width_px: u32, height_px: u32, fit: Fit) -> Self {
        let (colours, sampling) = (Colours::Rgb, Sampling::Bilinear);
        Frame { width_px, height_px, fit, background: None, colours, sampling }
    }

    /// The point between its corners, in pixels.
    pub fn middle(self) -> (f64, f64) {
        (f64::from(self.width_px) / 2.0, f64::from(self.height_px) / 2.0)
    }

    /// The map from points of an image of `width_px` x `height_px` to points of the frame that fits it in, centred.
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

    /// Pixels of the image that the frame shows as background on the left and on the right, and above and below:
    /// none without a background.
    pub fn margins(self, width_px: u32, height_px: u32) -> (u32, u32) {
        if self.background.is_none() {
            return (0, 0);
        }
        let Affine([sx, _, left, _, sy, top]) = self.fitting(width_px, height_px);
        let pixels = |margin: f64, scale: f64| (margin / scale).max(0.0).round() as u32;
        (pixels(left, sx), pixels(top, sy))
    }
}

/// `WIDTHxHEIGHT` or `WIDTHxHEIGHT:FIT`, in pixels; the fit is `cover` where none is named.
impl FromStr for Frame {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (sides, fit) = text.split_once(':').unwrap_or((text, "cover"));
        let fit = Fit::ALL
            .into_iter()
            .find(|known| known.name() == fit)
            .ok_or_else(|| format!("the fit is {fit:?}; expected cover, contain or stretch"))?;
        let side = |text: &str| {
            text.parse().ok().filter(|side| (1..=MAX_SIDE_PX).contains(side)).ok_or_else(|| {
                format!("expected WIDTHxHEIGHT or WIDTHxHEIGHT:FIT, sides from 1 to {MAX_SIDE_PX}")
            })
        };
        let (width, height) = sides.split_once('x').unwrap_or((sides, ""));
        Ok(Frame::new(side(width)?, side(height)?, fit))
    }
}

/// As it is read, and what else decides its pixels.
impl fmt::Display for Frame {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Frame { width_px, height_px, fit, background, colours, sampling } = self;
        write!(f, "{width_px}x{height_px}:{}", fit.name())?;
        if let Some([red, green, blue]) = background {
            write!(f, ", background #{red:02x}{green:02x}{blue:02x}")?;
        }
        if *colours == Colours::Grey {
            f.write_str(", grey")?;
        }
        if *sampling == Sampling::Cubic {
            f.write_str(", cubic sampling")?;
        }
        Ok(())
    }
}

/// How an image is fitted into the frame, as `object-fit` does in CSS (Images Module Level 3).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fit {
    /// Scaled until it covers the frame; what reaches beyond is cut off.
    Cover,
    /// Scaled until all of it is in the frame; the rest is filled.
    Contain,
    /// Scaled to the frame's sides, each by itself.
    Stretch,
}

impl Fit {
    /// Every fit.
    pub const ALL: [Fit; 3] = [Fit::Cover, Fit::Contain, Fit::Stretch];

    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Fit::Cover => "cover",
            Fit::Contain => "contain",
            Fit::Stretch => "stretch",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_frame_is_read_as_it_is_written() {
        let frame: Frame = "224x96:contain".parse().unwrap();
        assert_eq!((frame.width_px, frame.height_px, frame.fit), (224, 96, Fit::Contain));
        assert_eq!(frame.to_string().parse(), Ok(frame));
        assert_eq!("32x32".parse(), Ok(Frame::new(32, 32, Fit::Cover)));
        for wrong in ["", "32", "0x3", "32x", "32x32:", "32x32:crop", "5000x5", "-3x3", "3x3x3"] {
            assert!(wrong.parse::<Frame>().is_err(), "{wrong}");
        }
    }
}
