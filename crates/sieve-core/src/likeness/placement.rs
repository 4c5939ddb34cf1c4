//! How one image lies on another, in words that people use.

use crate::affine::Affine;
use crate::rect::Region;

/// How one image lies on another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placing {
    /// Whether one is mirrored.
    pub is_mirrored: bool,
    /// By how many degrees one is turned, -180 to 180, after mirroring left to right.
    pub degrees: f32,
    /// The share of each that lies on the other, 0 to 1.
    pub shared: [f32; 2],
    /// The same of what lies within the border of each.
    pub shared_content: [f32; 2],
}

/// Points along each side that are looked at.
const POINTS: usize = 32;

impl Placing {
    /// What `map` from the first image to the second says; both have an aspect, width over
    /// height, and what lies within their borders.
    pub fn new(map: &Affine, aspects: [f32; 2], contents: [Region; 2]) -> Self {
        let [a, b, _, d, e, _] = map.0.map(|value| value as f32);
        // In pixels: squares of the map are as wide as the images are.
        let (a, b, d, e) = (a * aspects[1] / aspects[0], b * aspects[1], d / aspects[0], e);
        let is_mirrored = a * e - b * d < 0.0;
        let (a, d) = if is_mirrored { (-a, -d) } else { (a, d) };
        let degrees = (d - b).atan2(a + e).to_degrees();
        let back = map.inverse().unwrap_or(Affine::IDENTITY);
        let share = |map: &Affine, region: Region| {
            let inside = (0..POINTS * POINTS).filter(|point| {
                let place = |index: usize| (index as f32 + 0.5) / POINTS as f32;
                let x = region.left + region.width() * place(point % POINTS);
                let y = region.top + region.height() * place(point / POINTS);
                let (x, y) = map.at(f64::from(x), f64::from(y));
                x.abs() <= 0.5 && y.abs() <= 0.5
            });
            inside.count() as f32 / (POINTS * POINTS) as f32
        };
        Placing {
            is_mirrored,
            degrees,
            shared: [share(map, Region::WHOLE), share(&back, Region::WHOLE)],
            shared_content: [share(map, contents[0]), share(&back, contents[1])],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// How an image of 200 x 100 lies on one of `size` pixels, of which its left upper corner is at
    /// `corner`, after it was turned by `degrees` and scaled; perhaps mirrored before.
    fn placed(size: (f64, f64), corner: (f64, f64), degrees: f64, mirrored: bool) -> Placing {
        let flip = if mirrored { -1.0 } else { 1.0 };
        let (sin, cos) = degrees.to_radians().sin_cos();
        // From the square to pixels around the middle, turned, moved, and to the other square.
        let (x, y) = (corner.0 + 100.0 - size.0 / 2.0, corner.1 + 50.0 - size.1 / 2.0);
        let map = Affine([
            flip * 200.0 * cos / size.0,
            -100.0 * sin / size.0,
            x / size.0,
            flip * 200.0 * sin / size.1,
            100.0 * cos / size.1,
            y / size.1,
        ]);
        let inner = Region { left: -0.4, top: -0.4, right: 0.4, bottom: 0.4 };
        Placing::new(&map, [2.0, (size.0 / size.1) as f32], [Region::WHOLE, inner])
    }

    fn is_about(a: f32, b: f32) -> bool {
        (a - b).abs() < 0.03
    }

    #[test]
    fn turns_and_shares_are_those_of_the_pixels() {
        let same = placed((200.0, 100.0), (0.0, 0.0), 0.0, false);
        assert!(!same.is_mirrored && is_about(same.degrees, 0.0));
        assert_eq!((same.shared, same.shared_content), ([1.0, 1.0], [1.0, 1.0]));
        for (degrees, mirrored) in [(90.0, false), (-30.0, false), (7.0, true), (180.0, false)] {
            let turned = placed((400.0, 400.0), (100.0, 150.0), degrees, mirrored);
            assert_eq!(turned.is_mirrored, mirrored, "{degrees}");
            let off = (f64::from(turned.degrees) - degrees).rem_euclid(360.0);
            assert!(off.min(360.0 - off) < 0.1, "{degrees}: {turned:?}");
            // All of it lies on the other, of which it covers an eighth.
            assert!(turned.shared[0] == 1.0 && is_about(turned.shared[1], 0.125), "{turned:?}");
        }
        // The right half hangs over; of the middle of the other 0.1 to 0.5 of a side is covered.
        let over = placed((200.0, 100.0), (100.0, 0.0), 0.0, false);
        assert!(is_about(over.shared[0], 0.5) && is_about(over.shared[1], 0.5));
        assert!(is_about(over.shared_content[0], 0.5) && is_about(over.shared_content[1], 0.5));
        // What covers the middle of the other covers all within its border.
        let framed = placed((250.0, 125.0), (25.0, 12.5), 0.0, false);
        assert!(is_about(framed.shared[1], 0.64) && framed.shared_content[1] == 1.0);
    }
}
