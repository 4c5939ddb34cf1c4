//! The surfaces that leaves are laid on.

use rand::RngExt;
use rand_chacha::ChaCha8Rng;

use super::noise::{fractal, grain};
use super::{Colour, mix, rgb};

/// What a tray is made of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs)] // their names say it
pub enum Material {
    Wood,
    Steel,
    Enamel,
    KraftPaper,
    Linen,
    Slate,
    DryingScreen,
    BluePlastic,
}

impl Material {
    /// What most of the shed's trays are made of: everything but blue plastic.
    pub const COMMON: [Material; 7] = [
        Material::Wood,
        Material::Steel,
        Material::Enamel,
        Material::KraftPaper,
        Material::Linen,
        Material::Slate,
        Material::DryingScreen,
    ];
}

/// A tray as it lies under the camera.
#[derive(Clone, Debug)]
pub struct Tray {
    material: Material,
    /// Where on its texture the image begins.
    offset: (f32, f32),
    /// Cosine and sine of its turn against the image.
    turn: (f32, f32),
    /// Pixels of a full-size image to one pixel of this one.
    scale: f32,
    /// Gain of its colour: trays differ.
    tint: Colour,
    /// Distance of the rim from the image's edge as a share of the height, and which edge; below
    /// 0 the rim is out of the image.
    rim: (f32, usize),
}

impl Tray {
    /// A random tray of `material`.
    pub fn of(material: Material, rng: &mut ChaCha8Rng) -> Self {
        let turn: f32 = rng.random_range(-0.5..0.5) + if rng.random() { 1.57 } else { 0.0 };
        let brightness: f32 = rng.random_range(0.86..1.1);
        Tray {
            material,
            offset: (rng.random_range(0.0..1.0), rng.random_range(0.0..1.0)),
            turn: (turn.cos(), turn.sin()),
            scale: rng.random_range(0.75..1.3),
            tint: [0, 1, 2].map(|_| brightness * rng.random_range(0.96..1.04)),
            rim: (
                if rng.random_bool(0.3) { rng.random_range(0.02..0.09) } else { -1.0 },
                rng.random_range(0..4),
            ),
        }
    }

    /// The surface's colour under even light at a pixel of an image of `size`.
    pub(super) fn colour(&self, x: f32, y: f32, size: (usize, usize)) -> Colour {
        let (width, height) = (size.0 as f32, size.1 as f32);
        // Textures are described in pixels of an image 480 rows high.
        let unit = self.scale * 480.0 / height;
        let (px, py) = ((x - width / 2.0) * unit, (y - height / 2.0) * unit);
        let tx = px * self.turn.0 + py * self.turn.1 + self.offset.0 * 4000.0;
        let ty = py * self.turn.0 - px * self.turn.1 + self.offset.1 * 4000.0;
        let colour = surface(self.material, tx, ty);
        let mut colour = [0, 1, 2].map(|c| colour[c] * self.tint[c]);
        let edge = match self.rim.1 {
            0 => x,
            1 => width - x,
            2 => y,
            _ => height - y,
        };
        let inside = edge / height - self.rim.0;
        if self.rim.0 > 0.0 && inside < 0.02 {
            // The rim catches the light; beyond it the bench lies in the dark.
            let bench =
                mix(rgb(58, 50, 44), rgb(84, 72, 60), 0.5 + 0.5 * fractal(tx / 900.0, ty / 90.0));
            colour = match inside {
                i if i < 0.0 => bench.map(|value| value * (0.55 + 0.45 * (-i * 12.0).min(1.0))),
                i if i < 0.012 => colour.map(|value| value * 1.18 + 0.05),
                _ => colour.map(|value| value * 0.82),
            };
        }
        colour
    }
}

/// The colour of a material at a place, in pixels of an image 480 rows high.
fn surface(material: Material, x: f32, y: f32) -> Colour {
    let at = |scale_x: f32, scale_y: f32| fractal(x / scale_x, y / scale_y);
    let speck = grain(x / 256.0, y / 256.0);
    match material {
        Material::Wood => {
            let plank = (y / 150.0).floor();
            let warp = 14.0 * fractal(x / 1600.0 + plank * 0.37, y / 900.0);
            let rings =
                ((y + warp) * 0.23 + 3.0 * fractal(x / 2600.0, y / 160.0 + plank * 0.61)).sin();
            let fibre = fractal(x / 700.0 + plank * 0.13, y / 24.0);
            let tone = 0.5 + 0.22 * rings + 0.3 * fibre + 0.12 * fractal(plank * 0.29, 0.3);
            let seam = (y / 150.0).fract().abs();
            let gap = if seam < 0.018 { 0.45 } else { 1.0 };
            mix(rgb(122, 84, 54), rgb(186, 144, 100), tone).map(|value| value * gap)
        }
        Material::Steel => {
            let brushed = fractal(x / 2200.0, y / 9.0);
            let tone = 0.5 + 0.22 * brushed + 0.25 * at(1900.0, 1500.0) + 0.05 * speck;
            mix(rgb(118, 121, 124), rgb(198, 201, 203), tone)
        }
        Material::Enamel => {
            let chip = fractal(x / 130.0, y / 130.0);
            let fleck = if chip > 1.08 { 0.35 } else { 1.0 };
            let tone = 0.5 + 0.3 * at(1500.0, 1500.0) + 0.06 * speck;
            mix(rgb(212, 208, 196), rgb(240, 237, 228), tone).map(|value| value * fleck)
        }
        Material::KraftPaper => {
            let fibre =
                fractal(x / 60.0, y / 300.0) * 0.5 + fractal(x / 260.0 + 0.5, y / 70.0) * 0.5;
            let tone = 0.5 + 0.34 * fibre + 0.22 * speck + 0.2 * at(1400.0, 1100.0);
            mix(rgb(150, 116, 80), rgb(196, 162, 120), tone)
        }
        Material::Linen => {
            let (wx, wy) = (x + 5.0 * at(900.0, 900.0), y + 5.0 * at(700.0, 800.0));
            let warp = (wx * 1.05).sin() * (1.0 + 0.5 * fractal(x / 90.0, y / 900.0));
            let weft = (wy * 1.05).sin() * (1.0 + 0.5 * fractal(x / 900.0, y / 90.0));
            let tone = 0.5 + 0.17 * (warp + weft) + 0.2 * at(1100.0, 1300.0) + 0.1 * speck;
            mix(rgb(172, 158, 132), rgb(226, 214, 190), tone)
        }
        Material::Slate => {
            let layer = fractal(x / 1200.0, y / 320.0);
            let tone = 0.5 + 0.4 * layer + 0.18 * at(170.0, 120.0) + 0.1 * speck;
            mix(rgb(48, 52, 56), rgb(98, 101, 103), tone)
        }
        Material::DryingScreen => {
            let (wx, wy) = (x + 3.0 * at(1300.0, 1200.0), y + 3.0 * at(1200.0, 1400.0));
            let wire = |t: f32| {
                let distance = ((t / 13.0).fract().abs() - 0.5).abs() * 13.0;
                (1.0 - (distance - 1.1).max(0.0) / 1.0).clamp(0.0, 1.0)
            };
            let wires = wire(wx).max(wire(wy));
            let below = mix(rgb(64, 56, 46), rgb(96, 84, 68), 0.5 + 0.5 * at(800.0, 900.0));
            mix(below, mix(rgb(150, 146, 136), rgb(206, 202, 190), 0.5 + 0.5 * speck), wires)
        }
        Material::BluePlastic => {
            let ribs = if (y / 62.0).fract().abs() < 0.06 { 0.86 } else { 1.0 };
            let scratch = fractal(x / 1500.0, y / 14.0).max(0.75) - 0.75;
            let tone = 0.5 + 0.35 * at(1300.0, 1200.0) + 0.08 * speck;
            let body = mix(rgb(28, 84, 158), rgb(52, 116, 196), tone);
            body.map(|value| value * ribs + 0.35 * scratch)
        }
    }
}
