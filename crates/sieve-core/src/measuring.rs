//! MEASURING: what is worth remembering of one file's bytes.

use std::fmt;

use crate::reading::{self, Doubt, Facts, ReadLimits, Trouble};

/// The blake3 digest of a file's bytes: 32 bytes, written as 64 hexadecimal digits.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// The digest of `bytes`.
    pub fn of(bytes: &[u8]) -> Self {
        Digest(blake3::hash(bytes).into())
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

/// What was measured about a file that is a picture.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Measured {
    /// Digest of all bytes of the file.
    pub digest: Digest,
    /// The file's own facts, confirmed by decoding.
    pub facts: Facts,
    /// What was odd although the picture is whole.
    pub doubts: Vec<Doubt>,
}

/// Measures the file that holds `bytes`. Every byte of the picture is decoded.
///
/// # Errors
///
/// Why the file gives no picture.
pub fn measure(bytes: &[u8], limits: &ReadLimits) -> Result<Measured, Trouble> {
    let picture = reading::check(bytes, limits)?;
    Ok(Measured { digest: Digest::of(bytes), facts: picture.facts, doubts: picture.doubts })
}
