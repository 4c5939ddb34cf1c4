//! An image made ready for many draws.

use std::borrow::Cow;
use std::sync::OnceLock;

use crate::reading::Pixels;

/// Times that an image may be halved: 2^15 pixels and more are left with a few.
const MOST_HALVINGS: usize = 12;

/// An image made ready for many draws: what is averaged for one serves all others.
pub struct SourcePyramid<'a> {
    /// Columns of the image.
    pub width_px: u32,
    /// Rows of it.
    pub height_px: u32,
    pixels: Cow<'a, Pixels>,
    levels: [OnceLock<Level>; MOST_HALVINGS + 1],
}

/// An image, or one whose pixels are means of blocks.
pub(super) struct Level {
    pub width: usize,
    pub height: usize,
    /// The pixels, row by row.
    pub data: Vec<Packed>,
}

/// Red, green and blue in one number, 21 bits apart, so that one multiplication weights all three.
pub(super) type Packed = u64;

/// Bits from one value to the next.
pub(super) const LANE: u32 = 21;

/// See [`Packed`].
pub(super) fn packed([r, g, b]: [u8; 3]) -> Packed {
    u64::from(r) | u64::from(g) << LANE | u64::from(b) << (2 * LANE)
}

/// The values of a packed pixel.
pub(super) fn unpacked(pixel: Packed) -> [u8; 3] {
    [0, 1, 2].map(|lane| (pixel >> (lane * LANE)) as u8)
}

impl<'a> SourcePyramid<'a> {
    /// Makes an image ready.
    ///
    /// # Panics
    ///
    /// When it has no pixels.
    pub fn new(image: impl Into<Cow<'a, Pixels>>) -> Self {
        let pixels = image.into();
        assert!(!pixels.data.is_empty(), "an image has pixels");
        let (width_px, height_px) = (pixels.width_px, pixels.height_px);
        SourcePyramid { width_px, height_px, pixels, levels: Default::default() }
    }

    /// The image averaged in blocks of two to the power of `halvings`, or of the most there are; with that power.
    pub(super) fn level(&self, halvings: usize) -> (usize, &Level) {
        let halvings = halvings.min(MOST_HALVINGS);
        // Averaged as it is and packed then: packing all of a large image takes longer than decoding it.
        let level = self.levels[halvings].get_or_init(|| match halvings {
            0 => Level::of(&self.pixels),
            _ => Level::of(&averaged(&self.pixels, 1 << halvings)),
        });
        (halvings, level)
    }
}

impl Level {
    fn of(image: &Pixels) -> Self {
        let data = image.data.as_chunks::<3>().0.iter().map(|&pixel| packed(pixel)).collect();
        Level { width: image.width_px as usize, height: image.height_px as usize, data }
    }
}

/// An image reduced `block` times: each pixel is the mean of `block` x `block`, or of what is there
/// of them at the right and bottom edges.
pub fn averaged(image: &Pixels, block: u32) -> Pixels {
    let (width, height) = (image.width_px, image.height_px);
    let (columns, rows) = (width.div_ceil(block), height.div_ceil(block));
    let mut data = Vec::with_capacity(columns as usize * rows as usize * 3);
    let row_length = width as usize * 3;
    for band in image.data.chunks(row_length * block as usize) {
        let mut sums = vec![[0u32; 3]; columns as usize];
        for row in band.chunks_exact(row_length) {
            for (sums, pixels) in sums.iter_mut().zip(row.chunks(3 * block as usize)) {
                for pixel in pixels.chunks_exact(3) {
                    (0..3).for_each(|c| sums[c] += u32::from(pixel[c]));
                }
            }
        }
        let band_rows = (band.len() / row_length) as u32;
        for (column, sums) in (0..columns).zip(sums) {
            let count = band_rows * block.min(width - column * block);
            data.extend(sums.map(|sum| ((sum + count / 2) / count) as u8));
        }
    }
    Pixels { width_px: columns, height_px: rows, data }
}
