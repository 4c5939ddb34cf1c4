//! What a camera adds to a scene.

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;

use super::{Colour, Picture, noise};

/// How an image was taken.
#[derive(Clone, Debug)]
pub struct Camera {
    /// Gain before the tone curve; 1 is a good exposure.
    pub exposure: f32,
    /// Contrast around mid grey; 1 is natural, 0.3 washed out.
    pub contrast: f32,
    /// Radius of the soft focus in pixels; 0 is as sharp as the painter.
    pub blur: usize,
    /// Standard deviation of the sensor's noise, in 8-bit levels at mid grey.
    pub noise: f32,
    /// Darkening of the corners, 0 to 1.
    pub vignette: f32,
    /// What the noise is drawn from.
    pub seed: u64,
}

impl Camera {
    /// A camera held with ordinary care.
    pub fn random(rng: &mut ChaCha8Rng) -> Self {
        Camera {
            exposure: rng.random_range(0.88..1.12),
            contrast: rng.random_range(0.95..1.08),
            blur: usize::from(rng.random_bool(0.3)),
            noise: rng.random_range(1.5..4.0),
            vignette: rng.random_range(0.08..0.3),
            seed: rng.random(),
        }
    }

    /// Turns light into an 8-bit image.
    pub(super) fn expose(&self, width: usize, height: usize, colours: Vec<Colour>) -> Picture {
        let colours = self.defocus(width, height, colours);
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed);
        let mut data = Vec::with_capacity(width * height * 3);
        let (half_width, half_height) = (width as f32 / 2.0, height as f32 / 2.0);
        for (at, colour) in colours.into_iter().enumerate() {
            let (x, y) = (at as u32 % width as u32, at as u32 / width as u32);
            let (dx, dy) = (x as f32 / half_width - 1.0, y as f32 / half_height - 1.0);
            let gain = self.exposure * (1.0 - self.vignette * 0.5 * (dx * dx + dy * dy));
            // One draw serves the pixel: its bytes give the noise that the channels share and
            // their own. The sum of uniform bytes is near enough to a normal deviate.
            let bytes = rng.random::<u64>().to_le_bytes().map(|b| f32::from(b) / 255.0 - 0.5);
            let shared = bytes[0] + bytes[1] + bytes[2];
            // Light comes in grains: the noise grows with the root of it.
            let sigma = self.noise * (0.6 + 0.8 * (colour[1] * gain).clamp(0.0, 1.0).sqrt());
            for (channel, value) in colour.into_iter().enumerate() {
                let toned = (value * gain - 0.5) * self.contrast + 0.5;
                let own = bytes[3 + channel] + bytes[5 + channel % 2];
                let level = shoulder(toned) * 255.0 + sigma * (1.6 * shared + 0.9 * own);
                data.push((level + 0.5).clamp(0.0, 255.0) as u8);
            }
        }
        Picture { width, height, data }
    }

    fn defocus(&self, width: usize, height: usize, colours: Vec<Colour>) -> Vec<Colour> {
        if self.blur == 0 {
            return colours;
        }
        let mut channels = [0, 1, 2].map(|c| {
            let plane: Vec<f32> = colours.iter().map(|colour| colour[c]).collect();
            // Two boxes make a tent, which passes for a lens.
            let once = noise::box_blur(&plane, width, height, self.blur.div_ceil(2));
            noise::box_blur(&once, width, height, self.blur / 2).into_iter()
        });
        let [red, green, blue] = &mut channels;
        red.zip(green).zip(blue).map(|((r, g), b)| [r, g, b]).collect()
    }
}

/// Rolls highlights off instead of clipping them.
fn shoulder(value: f32) -> f32 {
    if value <= 0.8 { value } else { 0.8 + 0.2 * (1.0 - (-(value - 0.8) / 0.2).exp()) }
}
