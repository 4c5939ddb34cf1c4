//! The measures that draws are compared with held-out images by.

use crate::measuring::ImageMeasures;

/// Their names, in the order in which they are kept.
pub const MEASURES: [&str; 5] = ["brightness", "contrast", "saturation", "sharpness", "warmth"];

/// Where sharpness stands among them.
pub const SHARPNESS: usize = 3;

/// The measures of one frame, in the order of [`MEASURES`].
pub type Measures = [f64; 5];

/// Brightness, contrast, saturation and sharpness as an audit measures them; warmth is how often mean red is doubled
/// over mean blue, as the step `warmth` counts it.
pub fn measures(look: &ImageMeasures) -> Measures {
    // Half a level keeps black from being infinitely warm or cool.
    let [red, _, blue] = look.mean.map(|mean| f64::from(mean) + 0.5);
    [
        f64::from(look.brightness),
        f64::from(look.contrast),
        f64::from(look.saturation),
        f64::from(look.sharpness),
        (red / blue).log2(),
    ]
}

/// Between which values the middle 98% of some numbers lie.
pub fn middle(mut numbers: Vec<f64>) -> (f64, f64) {
    numbers.sort_by(f64::total_cmp);
    let at = |share: f64| {
        let place = share * (numbers.len().max(1) - 1) as f64;
        let (below, part) = (place as usize, place.fract());
        match (numbers.get(below), numbers.get(below + 1)) {
            (Some(a), Some(b)) => a + (b - a) * part,
            (Some(a), None) => *a,
            _ => 0.0,
        }
    };
    (at(0.01), at(0.99))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_middle_leaves_a_hundredth_on_either_side() {
        assert_eq!(middle((0..=100).map(f64::from).rev().collect()), (1.0, 99.0));
        assert_eq!(middle(vec![7.0]), (7.0, 7.0));
        assert_eq!(middle(Vec::new()), (0.0, 0.0));
    }
}
