//! Digests of bytes and of pixels.

use std::fmt;

use crate::reading::{self, Ground, Pixels, ReadError, ReadLimits, Rows, Shape};

/// A blake3 digest: 32 bytes, written as 64 hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// The digest of `bytes`.
    pub fn of_bytes(bytes: &[u8]) -> Self {
        Digest(blake3::hash(bytes).into())
    }

    /// The digest of what is left to read.
    ///
    /// # Errors
    ///
    /// When it cannot be read to its end.
    pub fn of_reader(reader: impl std::io::Read) -> std::io::Result<Self> {
        let mut hasher = blake3::Hasher::new();
        hasher.update_reader(reader)?;
        Ok(Digest(hasher.finalize().into()))
    }

    /// The digest that is written as `text`; none where that is not 64 hexadecimal digits.
    pub fn from_hex(text: &str) -> Option<Self> {
        blake3::Hash::from_hex(text).ok().map(|hash| Digest(hash.into()))
    }

    /// The digest of a decoded image: of its width and height and its upright 8-bit RGB values.
    /// The same image has the same one in every lossless container.
    ///
    /// It needs the image decoded in full, which costs more than all the rest of measuring. Of all but small
    /// images it is therefore not among what is measured: two with the same pixels have nearly the same
    /// fingerprint, so only images whose fingerprints meet need it.
    pub fn of_pixels(pixels: &Pixels) -> Self {
        let mut rows = HashedRows::new(pixels.width_px, pixels.height_px);
        rows.row(&pixels.data);
        rows.digest()
    }

    /// The same of the image in a file, without holding it whole where it is stored upright. Of an image with transparent
    /// pixels it is of these values on white and on black: two images have the same one when they are the same on every
    /// ground. What colour a pixel has that is not seen at all does not matter.
    ///
    /// # Errors
    ///
    /// Why the file gives no image.
    pub fn of_image(bytes: &[u8], limits: &ReadLimits) -> Result<Self, ReadError> {
        let (on_white, may_be_transparent) = Self::on(Ground::White, bytes, limits)?;
        if !may_be_transparent {
            return Ok(on_white);
        }
        let (on_black, _) = Self::on(Ground::Black, bytes, limits)?;
        match on_white == on_black {
            // Nothing is transparent.
            true => Ok(on_white),
            false => Ok(Digest::of_bytes(&[on_white.0, on_black.0].concat())),
        }
    }

    /// The digest of an image on a ground, and whether that may matter.
    fn on(ground: Ground, bytes: &[u8], limits: &ReadLimits) -> Result<(Self, bool), ReadError> {
        let mut rows = HashedRows::new(0, 0);
        // Every pixel: no side is as long.
        let image = reading::decode_rows_on(bytes, limits, u32::MAX, &mut rows, ground)?;
        let may_be_transparent = image.facts.colour.may_be_transparent();
        if image.facts.orientation == 1 {
            return Ok((rows.digest(), may_be_transparent));
        }
        drop(image);
        let pixels = reading::decode_on(bytes, limits, ground)?.pixels;
        Ok((Digest::of_pixels(&pixels), may_be_transparent))
    }
}

/// Takes the digest of rows as they come.
pub(super) struct HashedRows(blake3::Hasher);

impl HashedRows {
    pub fn new(width_px: u32, height_px: u32) -> Self {
        let mut hasher = blake3::Hasher::new();
        hasher.update(&width_px.to_le_bytes()).update(&height_px.to_le_bytes());
        HashedRows(hasher)
    }

    pub fn digest(&self) -> Digest {
        Digest(self.0.finalize().into())
    }
}

impl Rows for HashedRows {
    fn begin(&mut self, shape: Shape) {
        *self = HashedRows::new(shape.columns, shape.rows);
    }

    fn row(&mut self, rgb: &[u8]) {
        self.0.update(rgb);
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&blake3::Hash::from_bytes(self.0).to_hex())
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}
