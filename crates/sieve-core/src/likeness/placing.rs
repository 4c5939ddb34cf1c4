//! How one picture lies on another, in words that people use.

use super::frame::Region;
use crate::affine::Affine;

/// How one picture lies on another.
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
    /// What `map` from the first picture to the second says; both have an aspect, width over
    /// height, and what lies within their borders.
    pub fn of(map: &Affine, aspects: [f32; 2], contents: [Region; 2]) -> Self {
        let [a, b, _, d, e, _] = map.0.map(|value| value as f32);
        // In pixels: squares of the map are as wide as the pictures are.
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
