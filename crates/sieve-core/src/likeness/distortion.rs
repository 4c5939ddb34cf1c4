//! What laying one image over another does to its shape.

use crate::affine::Affine;

/// What a map does to images in pixels.
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
    /// What `map` does, from an image to another; `aspects` are their widths over their heights.
    pub fn new(map: &Affine, aspects: [f32; 2]) -> Self {
        let [a, b, _, d, e, _] = map.0.map(|value| value as f32);
        let scale = 0.5 * (a * e - b * d).abs().max(1e-6).ln().abs();
        let is_turned = a * e - b * d < 0.0 || a < b.abs().max(d.abs());
        // In pixels: the squares of the map are as wide as the images are.
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

    /// Whether a copy is ever made so: sides squeezed to half, or leaning by more than an image that
    /// was set upright. One leaf is easily turned until it lies on another.
    pub fn is_of_a_copy(&self) -> bool {
        self.shear < 0.3 && self.stretch < 0.8 && self.tilt < 15.0
    }

    /// In which ways it is changed: mirrored or turned by quarters, tilted, cropped or framed, squeezed.
    pub fn ways(&self) -> [bool; 4] {
        let is_squeezed = self.stretch > GRAIN.2 || self.shear > GRAIN.2;
        [self.is_turned, self.tilt > GRAIN.0, self.scale > GRAIN.1, is_squeezed]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// How many there are.
    fn ways(distortion: &Distortion) -> u8 {
        distortion.ways().into_iter().map(u8::from).sum()
    }

    /// Ways in which `map` changes an image twice as wide as high, and whether copies are made so.
    fn of(map: Affine) -> (u8, bool) {
        let distortion = Distortion::new(&map, [2.0, 2.0]);
        (ways(&distortion), distortion.is_of_a_copy())
    }

    /// A turn in pixels, as a map of squares.
    fn tilted(degrees: f64) -> Affine {
        let wide = Affine::scale(2.0, 1.0, (0.0, 0.0));
        wide.then(Affine::rotate(degrees, (0.0, 0.0))).then(wide.inverse().unwrap())
    }

    #[test]
    fn every_way_of_changing_a_picture_counts_once() {
        let centre = (0.0, 0.0);
        assert_eq!(of(Affine::IDENTITY), (0, true));
        assert_eq!(of(Affine::shift(0.02, -0.01)), (0, true));
        assert_eq!(of(Affine::scale(-1.0, 1.0, centre)), (1, true), "mirrored");
        assert_eq!(of(tilted(180.0)), (1, true), "upside down");
        assert_eq!(of(tilted(5.0)), (1, true), "tilted");
        assert_eq!(of(Affine::scale(0.9, 0.9, centre)), (1, true), "cropped");
        assert_eq!(of(Affine::scale(0.95, 1.05, centre)), (1, true), "squeezed");
        let all = tilted(5.0).then(Affine::scale(-0.8, 0.9, centre));
        assert_eq!(of(all).0, 4);
        // A quarter turn of a wide image is a high one.
        let quarter = Affine([0.0, 1.0, 0.0, -1.0, 0.0, 0.0]);
        let turned = Distortion::new(&quarter, [2.0, 0.5]);
        assert_eq!((ways(&turned), turned.is_of_a_copy()), (1, true));
    }

    #[test]
    fn nobody_makes_copies_that_lean_or_are_squeezed_so_far() {
        let centre = (0.0, 0.0);
        assert!(!of(tilted(20.0)).1 && of(tilted(12.0)).1);
        assert!(!of(Affine::scale(0.4, 1.0, centre)).1);
        assert!(!of(Affine([1.0, 0.5, 0.0, 0.0, 1.0, 0.0])).1, "sheared");
    }
}
