//! Fingerprints: bits that stay nearly the same when an image is saved again or resized.

use std::f64::consts::PI;
use std::fmt;
use std::sync::LazyLock;

/// Side of the luma image that is transformed.
const SIDE: usize = 32;
/// Rows and columns of coefficients that are kept: the low frequencies, which survive.
const LOW: usize = 16;
/// Coefficients nearer to zero than this, in levels, have no sign worth keeping: a flat image has
/// all bits 0 instead of chance.
const NO_SIGN: f32 = 0.05;

/// The signs of the 255 lowest-frequency coefficients of an image's cosine transform.
///
/// From 32 x 32 luma an orthonormal DCT-II; of its 16 x 16 low coefficients, row by row, all but the
/// first, which is the mean. Bit `16 row + column` is 1 where the coefficient is positive; bit 0 is
/// always 0. Bit `n` is bit `n % 8`, from the lowest, of byte `n / 8`.
#[derive(Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(pub [u8; 32]);

impl Fingerprint {
    /// The fingerprint of 32 rows x 32 columns of luma, 0 to 255.
    pub(super) fn from_luma(luma: &[f32]) -> Self {
        let mut bits = [0u8; 32];
        for (n, value) in low_frequencies(luma).into_iter().enumerate().skip(1) {
            if value > NO_SIGN {
                bits[n / 8] |= 1 << (n % 8);
            }
        }
        Fingerprint(bits)
    }

    /// Whether there was nothing to take it from.
    pub fn is_blank(self) -> bool {
        self.0 == [0; 32]
    }

    /// Whether the image must be mirrored left to right, and top to bottom, to come into its normal
    /// position, in which its lowest odd frequencies are positive.
    pub fn leans(self) -> (bool, bool) {
        (!self.bit(0, 1), !self.bit(1, 0))
    }

    fn bit(self, row: usize, column: usize) -> bool {
        let n = LOW * row + column;
        self.0[n / 8] >> (n % 8) & 1 == 1
    }

    /// The fingerprint of the image mirrored left to right, and top to bottom, and then reflected
    /// at its diagonal. Mirroring changes the signs of odd frequencies.
    pub fn turned(self, flip_x: bool, flip_y: bool, transpose: bool) -> Self {
        let mut bits = [0u8; 32];
        for n in 1..LOW * LOW {
            let (row, column) = if transpose { (n % LOW, n / LOW) } else { (n / LOW, n % LOW) };
            let is_changed = (flip_x && column % 2 == 1) != (flip_y && row % 2 == 1);
            bits[n / 8] |= u8::from(self.bit(row, column) != is_changed) << (n % 8);
        }
        Fingerprint(bits)
    }

    /// In how many bits two fingerprints differ, 0 to 255.
    pub fn distance_bits(self, other: Self) -> u32 {
        self.0.iter().zip(other.0).map(|(a, b)| (a ^ b).count_ones()).sum()
    }
}

impl fmt::Debug for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

/// 32 x 16: how much of each low frequency there is at each place. Rounded, so that the last bit of
/// a system's cosine makes no difference.
static BASIS: LazyLock<Vec<[f32; LOW]>> = LazyLock::new(|| {
    let value = |at: usize, frequency: usize| {
        let scale = if frequency == 0 { 1.0 } else { 2.0f64 } / SIDE as f64;
        let angle = PI * (2 * at + 1) as f64 * frequency as f64 / (2 * SIDE) as f64;
        ((scale.sqrt() * angle.cos()) * 1e6).round() as f32 / 1e6
    };
    (0..SIDE).map(|at| std::array::from_fn(|frequency| value(at, frequency))).collect()
});

/// 16 x 16 coefficients, row by row: first along the rows, then down the columns. The innermost
/// loops go along the frequencies, which a processor takes several at a time.
fn low_frequencies(luma: &[f32]) -> [f32; LOW * LOW] {
    let mut low = [0.0; LOW * LOW];
    for (row, down) in luma.chunks_exact(SIDE).zip(BASIS.iter()) {
        let mut across = [0.0f32; LOW];
        for (value, basis) in row.iter().zip(BASIS.iter()) {
            for (sum, weight) in across.iter_mut().zip(basis) {
                *sum += value * weight;
            }
        }
        for (low, weight) in low.chunks_exact_mut(LOW).zip(down) {
            for (low, value) in low.iter_mut().zip(across) {
                *low += value * weight;
            }
        }
    }
    low
}
