//! Digests of bytes and of pixels.

use std::fmt;

use crate::reading::Pixels;

/// A blake3 digest: 32 bytes, written as 64 hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// The digest of `bytes`.
    pub fn of(bytes: &[u8]) -> Self {
        Digest(blake3::hash(bytes).into())
    }

    /// The digest of a decoded picture: of its width and height and its upright 8-bit RGB values.
    /// The same picture has the same one in every lossless container.
    ///
    /// It needs the picture decoded in full, which costs more than all the rest of measuring. It is therefore not among what is measured of every picture: two pictures with the same
    /// pixels have nearly the same fingerprint, so only pictures whose fingerprints meet need it.
    pub fn of_pixels(pixels: &Pixels) -> Self {
        let mut hasher = blake3::Hasher::new();
        hasher.update(&pixels.width_px.to_le_bytes()).update(&pixels.height_px.to_le_bytes());
        Digest(hasher.update(&pixels.data).finalize().into())
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}
