//! What laying one picture over another does to its shape.

use crate::affine::Affine;

/// What a map does to pictures in pixels.
pub struct Distortion {
    /// By how much right angles are bent: the cosine of what they become.
    pub shear: f32,
    /// By how much one side is stretched more than the other, as a logarithm.
    pub stretch: f32,
    /// Degrees from the nearest quarter turn.
    tilt: f32,
    /// Whether one is mirrored or turned by quarters.
    is_turned: bool,
    /// By how much more or less one shows than the other, as a logarithm of a side.
    scale: f32,
}

/// What is left of tilt (degrees), scale and shape by the grain of thumbnails.
const GRAIN: (f32, f32, f32) = (2.0, 0.03, 0.04);

impl Distortion {
    /// What `map` does, from a picture to another; `aspects` are their widths over their heights.
    pub fn of(map: &Affine, aspects: [f32; 2]) -> Self {
        let [a, b, _, d, e, _] = map.0.map(|value| value as f32);
        let scale = 0.5 * (a * e - b * d).abs().max(1e-6).ln().abs();
        let is_turned = a * e - b * d < 0.0 || a < b.abs().max(d.abs());
        // In pixels: the squares of the map are as wide as the pictures are.
        let (a, b, d, e) = (a * aspects[1] / aspects[0], b * aspects[1], d / aspects[0], e);
        let (across, down) = (a.hypot(d).max(1e-3), b.hypot(e).max(1e-3));
        let turn = d.atan2(a).to_degrees().rem_euclid(90.0);
        Distortion {
            shear: ((a * b + d * e) / (across * down)).abs(),
            stretch: (across / down).ln().abs(),
            tilt: turn.min(90.0 - turn),
            is_turned,
            scale,
        }
    }

    /// Whether a copy is ever made so: sides squeezed to half, or leaning by more than a picture that
    /// was set upright. One leaf is easily turned until it lies on another.
    pub fn is_of_a_copy(&self) -> bool {
        self.shear < 0.3 && self.stretch < 0.8 && self.tilt < 15.0
    }

    /// In how many ways it is changed, 0 to 4.
    pub fn departures(&self) -> u8 {
        let is_squeezed = self.stretch > GRAIN.2 || self.shear > GRAIN.2;
        let ways = [self.is_turned, self.tilt > GRAIN.0, self.scale > GRAIN.1, is_squeezed];
        ways.into_iter().map(u8::from).sum()
    }
}
