//! Fingerprints: bits that stay nearly the same when a picture is saved again or resized.

use std::f64::consts::PI;
use std::fmt;
use std::sync::LazyLock;

/// Side of the luma picture that is transformed.
const SIDE: usize = 32;
/// Rows and columns of coefficients that are kept: the low frequencies, which survive.
const LOW: usize = 16;
/// Coefficients nearer to zero than this, in levels, have no sign worth keeping: a flat picture has
/// all bits 0 instead of chance.
const NO_SIGN: f32 = 0.05;

/// The signs of the 255 lowest-frequency coefficients of a picture's cosine transform.
///
/// From 32 x 32 luma an orthonormal DCT-II; of its 16 x 16 low coefficients, row by row, all but the
/// first, which is the mean. Bit `16 row + column` is 1 where the coefficient is positive; bit 0 is
/// always 0. Bit `n` is bit `n % 8`, from the lowest, of byte `n / 8`.
#[derive(Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(pub [u8; 32]);

impl Fingerprint {
    /// The fingerprint of 32 rows x 32 columns of luma, 0 to 255.
    pub(super) fn of(luma: &[f32]) -> Self {
        let mut bits = [0u8; 32];
        for (n, value) in low_frequencies(luma).into_iter().enumerate().skip(1) {
            if value > NO_SIGN {
                bits[n / 8] |= 1 << (n % 8);
            }
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

/// 16 rows x 32 columns: the basis of the transform, rounded so that the last bit of a system's
/// cosine makes no difference.
static BASIS: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let value = |frequency: usize, at: usize| {
        let scale = if frequency == 0 { 1.0 } else { 2.0f64 } / SIDE as f64;
        let angle = PI * (2 * at + 1) as f64 * frequency as f64 / (2 * SIDE) as f64;
        ((scale.sqrt() * angle.cos()) * 1e6).round() as f32 / 1e6
    };
    (0..LOW * SIDE).map(|index| value(index / SIDE, index % SIDE)).collect()
});

/// 16 x 16 coefficients, row by row.
fn low_frequencies(luma: &[f32]) -> Vec<f32> {
    // Along the rows: 32 rows x 16 frequencies, kept by frequency so that columns lie together.
    let mut across = vec![0.0f32; LOW * SIDE];
    for (y, row) in luma.chunks_exact(SIDE).enumerate() {
        for (frequency, basis) in BASIS.chunks_exact(SIDE).enumerate() {
            across[frequency * SIDE + y] = product(row, basis);
        }
    }
    let mut low = Vec::with_capacity(LOW * LOW);
    for vertical in BASIS.chunks_exact(SIDE) {
        low.extend(across.chunks_exact(SIDE).map(|column| product(column, vertical)));
    }
    low
}

/// The sum of products, in eight partial sums that a processor adds side by side.
fn product(a: &[f32], b: &[f32]) -> f32 {
    let mut sums = [0.0f32; 8];
    for (a, b) in a.chunks_exact(8).zip(b.chunks_exact(8)) {
        for lane in 0..8 {
            sums[lane] += a[lane] * b[lane];
        }
    }
    sums.iter().sum()
}
