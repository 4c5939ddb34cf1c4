//! One thing that lies over the tray, pixel by pixel.

use super::Colour;
use super::noise::box_blur;

/// One thing over the tray, each field with a value for every pixel.
pub(super) struct Layer {
    pub width: usize,
    /// How much of the pixel it covers, 0 to 1.
    pub cover: Vec<f32>,
    /// Its own colour.
    pub colour: Vec<Colour>,
    /// Its surface's height in pixels; only differences count.
    pub height: Vec<f32>,
    /// How strongly it mirrors the lamp, 0 to 1.
    pub gloss: f32,
    /// Its distance from the tray in pixels, which moves its shadow.
    pub lift: f32,
}

impl Layer {
    /// Nothing yet.
    pub fn empty(width: usize, height: usize) -> Self {
        let pixels = width * height;
        Layer {
            width,
            cover: vec![0.0; pixels],
            colour: vec![[0.0; 3]; pixels],
            height: vec![0.0; pixels],
            gloss: 0.0,
            lift: 0.0,
        }
    }

    /// Gives everything that is drawn rounded edges: the height is the blurred cover.
    pub fn rounded(&mut self, radius: f32, strength: f32) {
        let radius_px = (radius as usize).max(1);
        let rows = self.cover.len() / self.width;
        let soft = box_blur(&self.cover, self.width, rows, radius_px);
        self.height =
            soft.iter().map(|value| value * strength * (radius_px as f32 + 1.0)).collect();
    }

    /// How light a pixel is under light from a direction, and what it mirrors.
    pub fn shading(&self, x: usize, y: usize, light: [f32; 3]) -> (f32, f32) {
        let rows = self.cover.len() / self.width;
        let at = |x: usize, y: usize| {
            let at = y * self.width + x;
            // Beyond the edge the surface goes on as it is here.
            if self.cover[at] > 0.5 { self.height[at] } else { f32::NAN }
        };
        let here = self.height[y * self.width + x];
        let slope = |before: f32, after: f32| match (before.is_nan(), after.is_nan()) {
            (false, false) => (after - before) / 2.0,
            (true, false) => after - here,
            (false, true) => here - before,
            (true, true) => 0.0,
        };
        let dx = slope(at(x.saturating_sub(1), y), at((x + 1).min(self.width - 1), y));
        let dy = slope(at(x, y.saturating_sub(1)), at(x, (y + 1).min(rows - 1)));
        let norm = 1.0 / (dx * dx + dy * dy + 1.0).sqrt();
        let normal = [-dx * norm, -dy * norm, norm];
        let facing = (0..3).map(|i| normal[i] * light[i]).sum::<f32>();
        let shade = 0.5 + 0.5 * facing / light[2];
        let half_norm = 1.0 / (2.0 + 2.0 * light[2]).sqrt();
        let mirrored = (normal[0] * light[0] + normal[1] * light[1] + normal[2] * (light[2] + 1.0))
            * half_norm;
        (shade.clamp(0.32, 1.6), self.gloss * mirrored.max(0.0).powi(40))
    }
}
