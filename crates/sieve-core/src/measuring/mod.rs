//! MEASURING: what is worth remembering of one file's bytes.

mod closeup;
mod digest;
mod fingerprint;
mod grid;
mod image_measures;
mod small;
#[cfg(test)]
mod tests;
mod thumbnail;

pub use closeup::{CLOSEUP_PX, Closeup};
pub use digest::Digest;
pub use fingerprint::Fingerprint;
pub(crate) use grid::halved;
pub use image_measures::ImageMeasures;
pub use small::SMALL_SIDE_PX;
pub(crate) use thumbnail::{CHROMA, LUMA};
pub use thumbnail::{CHROMA_PX, LUMA_PX, Thumbnail};

use crate::reading::{self, Facts, Pixels, ReadError, ReadLimits, ReadWarning, Rows, Shape};
use grid::Averager;
use small::HashingSmall;
use thumbnail::Planes;

/// The version of everything that is measured: what was measured by another one is measured again.
pub const MEASURING_VERSION: u32 = 6;

/// Pixels that both sides of an image keep when it is decoded smaller for measuring: as many as the
/// grid has cells.
const LEAST_SIDE_PX: u32 = grid::SIDE as u32;

/// What was measured about a file that is an image.
#[derive(Clone, Debug, PartialEq)]
pub struct Measured {
    /// Digest of all bytes of the file.
    pub digest: Digest,
    /// The file's own facts, confirmed by decoding.
    pub facts: Facts,
    /// What was odd although the image is whole.
    pub read_warnings: Vec<ReadWarning>,
    /// How it looks, in numbers.
    pub measures: ImageMeasures,
    /// Bits to find it again by.
    pub fingerprint: Fingerprint,
    /// Digest of the pixels ([`Digest::of_pixels`]) of a small image without transparency: all that
    /// it is compared by.
    pub small_pixels: Option<Digest>,
}

impl Measured {
    /// Width over height.
    pub fn aspect(&self) -> f64 {
        f64::from(self.facts.width_px) / f64::from(self.facts.height_px)
    }

    /// Whether there is too little to see to tell what is the same but for bytes and pixels: a side
    /// has fewer than [`SMALL_SIDE_PX`] pixels.
    pub fn is_small(&self) -> bool {
        self.facts.width_px.min(self.facts.height_px) < SMALL_SIDE_PX
    }
}

fn averaged(pixels: &Pixels, side: usize) -> Averager {
    let mut rows = Averager::new(side);
    rows.begin(Shape::full(pixels.width_px, pixels.height_px));
    pixels.data.chunks_exact(pixels.width_px as usize * 3).for_each(|row| rows.row(row));
    rows
}

/// Red, green and blue of a grid of rows and columns: the mean of each part of an image that is at hand, row-major, 0 to 255.
pub(crate) fn grid_of(pixels: &Pixels, side: usize) -> [Vec<f32>; 3] {
    averaged(pixels, side).finish().expect("a picture has pixels").0.0
}

/// How pixels that are at hand look, and their thumbnail.
///
/// # Panics
///
/// When there are none.
pub fn look_at(pixels: &Pixels) -> (ImageMeasures, Thumbnail) {
    let (grid, deviation) = averaged(pixels, grid::SIDE).finish().expect("a picture has pixels");
    let planes = Planes::new(&grid);
    (ImageMeasures::new(&planes, deviation), planes.thumbnail())
}

/// Measures the file that holds `bytes`, in one pass. Every byte of the image is decoded.
///
/// # Errors
///
/// Why the file gives no image.
pub fn measure(bytes: &[u8], limits: &ReadLimits) -> Result<(Measured, Thumbnail), ReadError> {
    let mut rows = HashingSmall::new(Averager::new(grid::SIDE));
    let image = reading::decode_rows(bytes, limits, LEAST_SIDE_PX, &mut rows)?;
    let small_pixels = rows.digest(&image.facts, bytes, limits);
    let averaged = rows.into_inner().finish();
    let (grid, deviation) = averaged.expect("a picture that was read gave its rows");
    let grid = grid.upright(image.facts.orientation);
    let planes = Planes::new(&grid);
    let measured = Measured {
        digest: Digest::of_bytes(bytes),
        facts: image.facts,
        read_warnings: image.read_warnings,
        measures: ImageMeasures::new(&planes, deviation),
        fingerprint: Fingerprint::from_luma(&planes.coarse[0]),
        small_pixels,
    };
    Ok((measured, planes.thumbnail()))
}
