//! Steps on colours: straight lines through the values, one after the other.

use crate::reading::Pixels;

/// The line `value * slope + offset`, for values from 0 to 255; results are held within that range.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tone {
    /// What each value is multiplied by.
    pub slope: f64,
    /// What is added then, in levels.
    pub offset: f64,
}

impl Tone {
    fn apply(self, value: f64) -> f64 {
        (value * self.slope + self.offset).clamp(0.0, 255.0)
    }
}

/// Carries out `tones` in their order, each held within 0 to 255, and rounds once at the end.
pub(super) fn apply(pixels: &mut Pixels, tones: &[Tone]) {
    if tones.is_empty() {
        return;
    }
    let table: Vec<u8> = (0..=255u8)
        .map(|value| {
            let toned = tones.iter().fold(f64::from(value), |value, tone| tone.apply(value));
            (toned + 0.5) as u8
        })
        .collect();
    for value in &mut pixels.data {
        *value = table[usize::from(*value)];
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn toned(tones: &[Tone]) -> [u8; 3] {
        let mut pixels = Pixels { width_px: 1, height_px: 1, data: vec![0, 100, 200] };
        apply(&mut pixels, tones);
        pixels.at(0, 0)
    }

    #[test]
    fn the_order_of_tones_counts_and_values_stay_in_range() {
        let brighter = Tone { slope: 1.5, offset: 0.0 };
        let flatter = Tone { slope: 0.5, offset: 63.75 };
        assert_eq!(toned(&[]), [0, 100, 200]);
        assert_eq!(toned(&[brighter]), [0, 150, 255]);
        assert_eq!(toned(&[flatter]), [64, 114, 164]);
        assert_eq!(toned(&[brighter, flatter]), [64, 139, 191]); // 300 was held at 255
        assert_eq!(toned(&[flatter, brighter]), [96, 171, 246]);
        assert_eq!(toned(&[Tone { slope: 0.0, offset: 127.5 }]), [128; 3]);
    }
}
