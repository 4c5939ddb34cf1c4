//! Images too small to tell by their looks: their pixels are all that can be compared.

use super::Digest;
use super::digest::HashedRows;
use crate::reading::{Facts, ReadLimits, Rows, Shape};

/// Pixels of a side below which an image is small: a thumbnail of 48 x 48 is then the image made
/// larger, and two drawn or written apart are as near to each other as two copies are.
pub const SMALL_SIDE_PX: u32 = 48;

/// Hands rows on, and takes the digest of those of a small image. None is kept: the other side may be of any
/// length.
pub(super) struct HashingSmall<R> {
    inner: R,
    hashed: Option<HashedRows>,
}

impl<R: Rows> HashingSmall<R> {
    pub fn new(inner: R) -> Self {
        HashingSmall { inner, hashed: None }
    }

    pub fn into_inner(self) -> R {
        self.inner
    }

    /// The digest of the pixels of an image that is small, whose file holds `bytes`; none for others.
    pub fn digest(&self, facts: &Facts, bytes: &[u8], limits: &ReadLimits) -> Option<Digest> {
        let hashed = self.hashed.as_ref()?;
        // The rows came as they are stored, and on white.
        match facts.orientation == 1 && !facts.colour.may_be_transparent() {
            true => Some(hashed.digest()),
            false => Digest::of_image(bytes, limits).ok(),
        }
    }
}

impl<R: Rows> Rows for HashingSmall<R> {
    fn begin(&mut self, shape: Shape) {
        self.inner.begin(shape);
        // What is decoded smaller keeps more pixels a side than this: small rows are whole images.
        let is_small = shape.columns.min(shape.rows) < SMALL_SIDE_PX;
        self.hashed = is_small.then(|| HashedRows::new(shape.columns, shape.rows));
    }

    fn row(&mut self, rgb: &[u8]) {
        self.inner.row(rgb);
        if let Some(hashed) = &mut self.hashed {
            hashed.row(rgb);
        }
    }
}
