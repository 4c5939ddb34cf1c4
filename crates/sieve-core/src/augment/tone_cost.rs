//! What tones and filters cost: values that are flattened, and a mean that moves.

use crate::reading::Pixels;

/// What a draw does to the values of a frame.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ToneCost {
    /// Share of the values that are 0 or 255 and were not, 0 to 1.
    pub newly_clipped: f64,
    /// By how much the mean of all values moves, in levels; below 0 where it is darker.
    pub shift_levels: f64,
}

/// Values that are added up before the sums are moved: 255 times as many fit 31 bits.
const SHORT: usize = 1 << 20;

/// What was done to `frame`, which geometry alone gives, to make `drawn` of it.
pub fn tone_cost(frame: &Pixels, drawn: &Pixels) -> ToneCost {
    let is_clipped = |value: u8| value == 0 || value == 255;
    let (mut newly, mut moved) = (0u64, 0i64);
    // In small numbers for a while, which a processor adds up many at a time.
    for (before, after) in frame.data.chunks(SHORT).zip(drawn.data.chunks(SHORT)) {
        let (mut newly_here, mut moved_here) = (0u32, 0i32);
        for (&before, &after) in before.iter().zip(after) {
            newly_here += u32::from(is_clipped(after) & !is_clipped(before));
            moved_here += i32::from(after) - i32::from(before);
        }
        newly += u64::from(newly_here);
        moved += i64::from(moved_here);
    }
    let count = frame.data.len().max(1) as f64;
    ToneCost { newly_clipped: newly as f64 / count, shift_levels: moved as f64 / count }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_clipped_before_is_not_counted() {
        let pixels = |data: &[u8]| Pixels { width_px: 2, height_px: 1, data: data.to_vec() };
        let before = pixels(&[0, 10, 100, 200, 255, 250]);
        let cost = tone_cost(&before, &pixels(&[0, 0, 110, 255, 255, 255]));
        assert_eq!(cost.newly_clipped, 0.5);
        assert!((cost.shift_levels - 60.0 / 6.0).abs() < 1e-9, "{cost:?}");
    }
}
