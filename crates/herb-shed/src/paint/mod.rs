//! Painting one image.
//!
//! A [`Shot`] says everything about an image: what lies on which tray, under which lamp, and how
//! the camera was held. [`Shot::take`] paints it: the tray's surface, the shadow, the leaf with its
//! veins lit from the lamp's side, then what a camera adds: vignette, soft focus and noise.

mod camera;
mod layer;
mod leaf;
mod noise;
mod subject;
mod tray;

pub use camera::Camera;
pub use leaf::Leaf;
pub use subject::Subject;
pub use tray::{Material, Tray};

use rand::RngExt;
use rand_chacha::ChaCha8Rng;

/// The herbs of the shed; each is a class of the collection.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)] // their names say it
pub enum Herb {
    Spearmint,
    Sage,
    Thyme,
    Dill,
    Bay,
    Nettle,
}

impl Herb {
    /// Every herb.
    pub const ALL: [Herb; 6] =
        [Herb::Spearmint, Herb::Sage, Herb::Thyme, Herb::Dill, Herb::Bay, Herb::Nettle];

    /// The name of the herb's class.
    pub fn name(self) -> &'static str {
        match self {
            Herb::Spearmint => "spearmint",
            Herb::Sage => "sage",
            Herb::Thyme => "thyme",
            Herb::Dill => "dill",
            Herb::Bay => "bay",
            Herb::Nettle => "nettle",
        }
    }
}

/// A painted image: `height` rows x `width` columns x red, green, blue, each 0 to 255.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Picture {
    /// Columns.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Row-major values.
    pub data: Vec<u8>,
}

/// The lamp over the tray.
#[derive(Clone, Debug)]
pub struct Lamp {
    /// Direction from the image's middle towards the lamp, in radians.
    pub angle: f32,
    /// Height of the lamp over the tray: 0 grazing, 1 overhead.
    pub height: f32,
    /// Gain of red, green and blue.
    pub colour: [f32; 3],
    /// How much darker the far side of the tray is, 0 to 1.
    pub falloff: f32,
}

/// Everything about one image.
#[derive(Clone, Debug)]
pub struct Shot {
    /// Columns and rows.
    pub size: (usize, usize),
    /// What lies under the camera.
    pub tray: Tray,
    /// What lies on it.
    pub subject: Subject,
    /// The light.
    pub lamp: Lamp,
    /// The camera.
    pub camera: Camera,
}

/// One layer of colour values, 0 to 1 and beyond, before the camera.
type Colour = [f32; 3];

impl Shot {
    /// A random shot of `subject` on `tray`.
    pub fn of(subject: Subject, tray: Tray, size: (usize, usize), rng: &mut ChaCha8Rng) -> Self {
        let warmth: f32 = rng.random_range(-0.12..0.16);
        Shot {
            size,
            tray,
            subject,
            lamp: Lamp {
                angle: rng.random_range(0.0..std::f32::consts::TAU),
                height: rng.random_range(0.35..0.75),
                colour: [1.0 + warmth, 1.0, 1.0 - 1.3 * warmth],
                falloff: rng.random_range(0.15..0.45),
            },
            camera: Camera::random(rng),
        }
    }

    /// Paints the image. The same shot gives the same image.
    pub fn take(&self) -> Picture {
        let (width, height) = self.size;
        let layer = self.subject.layer(width, height);
        let shadow = self.shadow(&layer);
        let light = self.light();
        let mut colours: Vec<Colour> = Vec::with_capacity(width * height);
        for y in 0..height {
            for x in 0..width {
                let at = y * width + x;
                let lit = self.brightness(x as f32, y as f32);
                let ground = self.tray.colour(x as f32, y as f32, self.size);
                let ground_light = lit * (1.0 - 0.62 * shadow[at]);
                let cover = layer.cover[at];
                let mut colour = ground.map(|value| value * ground_light);
                if cover > 0.0 {
                    let (shade, shine) = layer.shading(x, y, light);
                    let leaf = layer.colour[at].map(|value| value * shade * lit + shine * lit);
                    colour = mix(colour, leaf, cover);
                }
                colours.push([0, 1, 2].map(|c| colour[c] * self.lamp.colour[c]));
            }
        }
        self.camera.expose(width, height, colours)
    }

    /// Unit vector towards the lamp.
    fn light(&self) -> [f32; 3] {
        let flat = (1.0 - self.lamp.height * self.lamp.height).sqrt();
        [flat * self.lamp.angle.cos(), flat * self.lamp.angle.sin(), self.lamp.height]
    }

    /// How brightly the lamp lights a point of the tray.
    fn brightness(&self, x: f32, y: f32) -> f32 {
        let (width, height) = (self.size.0 as f32, self.size.1 as f32);
        let (dx, dy) = (x / width - 0.5, y / height - 0.5);
        let towards = dx * self.lamp.angle.cos() + dy * self.lamp.angle.sin();
        1.0 + self.lamp.falloff * (0.9 * towards - 0.5 * (dx * dx + dy * dy))
    }

    /// How much of the lamp's light is kept from each point of the tray, 0 to 1.
    fn shadow(&self, layer: &layer::Layer) -> Vec<f32> {
        let (width, height) = self.size;
        let reach = layer.lift * (1.0 - self.lamp.height) * 2.2;
        let (dx, dy) = (-reach * self.lamp.angle.cos(), -reach * self.lamp.angle.sin());
        let shifted: Vec<f32> = (0..width * height)
            .map(|at| {
                let x = (at % width) as f32 - dx;
                let y = (at / width) as f32 - dy;
                let inside = x >= 0.0 && y >= 0.0 && x < width as f32 && y < height as f32;
                if inside { layer.cover[y as usize * width + x as usize] } else { 0.0 }
            })
            .collect();
        let soft = noise::box_blur(&shifted, width, height, (1.0 + reach * 0.55) as usize);
        noise::box_blur(&soft, width, height, (1.0 + reach * 0.3) as usize)
    }
}

fn mix(a: Colour, b: Colour, share: f32) -> Colour {
    [0, 1, 2].map(|c| a[c] + (b[c] - a[c]) * share)
}

/// A colour from its 8-bit values.
fn rgb(red: u8, green: u8, blue: u8) -> Colour {
    [red, green, blue].map(|value| f32::from(value) / 255.0)
}
