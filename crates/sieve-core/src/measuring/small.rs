//! Pictures too small to tell by their looks: their pixels are all that can be compared.

use super::Digest;
use crate::reading::{Facts, Pixels, Rows, Shape, upright};

/// Pixels of a side below which a picture is small: a thumbnail of 48 x 48 is then the picture made
/// larger, and two drawn or written apart are as near to each other as two copies are.
pub const SMALL_SIDE_PX: u32 = 48;

/// Hands rows on, and keeps those of a small picture.
pub(super) struct KeepingSmall<R> {
    inner: R,
    kept: Option<Pixels>,
}

impl<R: Rows> KeepingSmall<R> {
    pub fn new(inner: R) -> Self {
        KeepingSmall { inner, kept: None }
    }

    pub fn into_inner(self) -> R {
        self.inner
    }

    /// The digest of the pixels of a picture that is small; none for others, and none where something
    /// may be transparent: that was laid on white, and pictures that differ may look the same then.
    pub fn digest(&mut self, facts: &Facts) -> Option<Digest> {
        let pixels = self.kept.take().filter(|_| !facts.colour.may_be_transparent())?;
        Some(Digest::of_pixels(&upright(pixels, facts.orientation).ok()?))
    }
}

impl<R: Rows> Rows for KeepingSmall<R> {
    fn begin(&mut self, shape: Shape) {
        self.inner.begin(shape);
        // What is decoded smaller keeps more pixels a side than this: small rows are whole pictures.
        let (width_px, height_px) = (shape.columns, shape.rows);
        let is_small = width_px.min(height_px) < SMALL_SIDE_PX;
        self.kept = is_small.then(|| Pixels { width_px, height_px, data: Vec::new() });
    }

    fn row(&mut self, rgb: &[u8]) {
        self.inner.row(rgb);
        if let Some(pixels) = &mut self.kept {
            pixels.data.extend_from_slice(rgb);
        }
    }
}
