//! Images as the model sees them: resized once, so that no training run has to.

use mozjpeg::{ColorSpace, Compress};
use sieve_core::augment::{Draw, Fill, Frame, Policy, SourcePyramid};
use sieve_core::reading::{self, Pixels, ReadError, ReadLimits};

/// What images are resized to.
#[derive(Clone, Debug)]
pub struct FrameRequest {
    /// The frame and its filling.
    policy: Policy,
    /// How a frame is stored; in arrays its values are.
    pub encoding: Encoding,
}

/// How a frame is stored.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub enum Encoding {
    /// JPEG of quality 92
    #[default]
    Jpeg,
    /// PNG: every pixel as it is
    Png,
}

impl Encoding {
    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Encoding::Jpeg => "jpeg",
            Encoding::Png => "png",
        }
    }
}

/// The quality of JPEGs: no difference is seen at the size of a frame.
const QUALITY: f32 = 92.0;

impl FrameRequest {
    /// Frames of this kind.
    pub fn new(frame: Frame, fill: Fill, encoding: Encoding) -> Self {
        FrameRequest { policy: Policy::of_frame(frame, fill), encoding }
    }

    /// The frame.
    pub fn frame(&self) -> Frame {
        self.policy.frame
    }

    /// Bytes of its values.
    pub fn bytes(&self) -> u64 {
        3 * u64::from(self.frame().width_px) * u64::from(self.frame().height_px)
    }

    /// The image in `bytes` as `preview` shows it in its first column. It is decoded smaller where its format allows that and
    /// the frame shows it no larger.
    pub fn fitted(&self, bytes: &[u8], limits: &ReadLimits) -> Result<Pixels, ReadError> {
        let least_side_px = self.frame().width_px.max(self.frame().height_px);
        let image = reading::decode_reduced(bytes, limits, least_side_px)?;
        Ok(Draw::NOTHING.apply(&SourcePyramid::new(&image.pixels), &self.policy).pixels)
    }

    /// The file that stores a frame; `png` writes one of that format.
    pub fn encoded(&self, pixels: &Pixels, png: fn(&Pixels) -> Vec<u8>) -> Vec<u8> {
        match self.encoding {
            Encoding::Jpeg => jpeg(pixels),
            Encoding::Png => png(pixels),
        }
    }

    /// The ending of such a file.
    pub fn extension(&self) -> &'static str {
        match self.encoding {
            Encoding::Jpeg => "jpg",
            Encoding::Png => "png",
        }
    }
}

/// A baseline JPEG, as every program reads it.
fn jpeg(pixels: &Pixels) -> Vec<u8> {
    let mut jpeg = Compress::new(ColorSpace::JCS_RGB);
    jpeg.set_fastest_defaults();
    jpeg.set_size(pixels.width_px as usize, pixels.height_px as usize);
    jpeg.set_quality(QUALITY);
    let mut started = jpeg.start_compress(Vec::new()).expect("memory takes what is written");
    started.write_scanlines(&pixels.data).expect("as many rows as were announced");
    started.finish().expect("memory takes what is written")
}
