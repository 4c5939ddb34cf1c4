//! What lies on a tray: a leaf, or something that has no business there.

use rand::RngExt;
use rand_chacha::ChaCha8Rng;

use super::layer::Layer;
use super::leaf::Leaf;
use super::noise::fractal;
use super::{mix, rgb};

/// What lies on a tray.
#[derive(Clone, Debug)]
pub enum Subject {
    /// A leaf.
    Leaf(Leaf),
    /// A cup of tea, forgotten: its middle as shares of width and height, its radius as a share of
    /// the height, and where its handle points.
    Cup((f32, f32), f32, f32),
    /// A card with handwriting: its middle, its height as a share of the image's, its turn.
    Card((f32, f32), f32, f32),
    /// Nothing.
    Nothing,
}

impl Subject {
    /// A forgotten cup.
    pub fn cup(rng: &mut ChaCha8Rng) -> Self {
        let place = (rng.random_range(0.42..0.58), rng.random_range(0.45..0.55));
        Subject::Cup(place, rng.random_range(0.26..0.32), rng.random_range(0.0..6.2))
    }

    /// A label card.
    pub fn card(rng: &mut ChaCha8Rng) -> Self {
        let place = (rng.random_range(0.45..0.55), rng.random_range(0.45..0.55));
        Subject::Card(place, rng.random_range(0.4..0.5), rng.random_range(-0.35..0.35))
    }

    /// Paints the subject on an empty image.
    pub(super) fn layer(&self, width: usize, height: usize) -> Layer {
        match self {
            Subject::Leaf(leaf) => leaf.layer(width, height),
            Subject::Cup(place, radius, handle) => cup(width, height, *place, *radius, *handle),
            Subject::Card(place, size, turn) => card(width, height, *place, *size, *turn),
            Subject::Nothing => Layer::empty(width, height),
        }
    }
}

/// A cup from above: rim, wall, tea and a handle.
fn cup(width: usize, height: usize, place: (f32, f32), radius: f32, handle: f32) -> Layer {
    let mut layer = Layer::empty(width, height);
    let radius = radius * height as f32;
    let centre = (place.0 * width as f32, place.1 * height as f32);
    for (at, cover) in layer.cover.iter_mut().enumerate() {
        let (dx, dy) = ((at % width) as f32 - centre.0, (at / width) as f32 - centre.1);
        let distance = (dx * dx + dy * dy).sqrt();
        let (sin, cos) = handle.sin_cos();
        let (along, across) = (dx * cos + dy * sin, dy * cos - dx * sin);
        let ring =
            ((along / radius - 1.16).powi(2) / 0.09 + (across / radius).powi(2) / 0.05).sqrt();
        let on_handle = ((0.22 - (ring - 0.82).abs()) * radius * 0.25).clamp(0.0, 1.0);
        *cover = (radius - distance + 0.5).clamp(0.0, 1.0).max(on_handle);
        let china = mix(
            rgb(214, 206, 190),
            rgb(236, 230, 218),
            0.5 + 0.5 * fractal(dx / 700.0, dy / 700.0),
        );
        let tea = mix(rgb(96, 50, 20), rgb(128, 72, 30), 0.5 + 0.4 * (dx + dy) / radius);
        let inside = ((radius * 0.78 - distance) * 0.7 + 0.5).clamp(0.0, 1.0);
        layer.colour[at] = mix(china, tea, inside);
        let wall = (distance / radius - 0.9) / 0.12;
        layer.height[at] = radius * 0.09 * (-wall * wall).exp();
    }
    layer.gloss = 0.5;
    layer.lift = height as f32 * 0.1;
    layer
}

/// A card with lines of writing that say nothing.
fn card(width: usize, height: usize, place: (f32, f32), size: f32, turn: f32) -> Layer {
    let mut layer = Layer::empty(width, height);
    let half = (size * height as f32 * 0.78, size * height as f32 * 0.5);
    let centre = (place.0 * width as f32, place.1 * height as f32);
    let (sin, cos) = turn.sin_cos();
    for (at, cover) in layer.cover.iter_mut().enumerate() {
        let (dx, dy) = ((at % width) as f32 - centre.0, (at / width) as f32 - centre.1);
        let (x, y) = (dx * cos + dy * sin, dy * cos - dx * sin);
        let inside = (half.0 - x.abs()).min(half.1 - y.abs());
        *cover = (inside + 0.5).clamp(0.0, 1.0);
        let paper =
            mix(rgb(222, 212, 184), rgb(240, 232, 208), 0.5 + 0.5 * fractal(x / 400.0, y / 400.0));
        let line = ((y / half.1 + 1.0) * 2.5).floor();
        let wave = fractal(x / 90.0 + line * 0.31, line * 0.17) * half.1 * 0.16;
        let to_line = y - (line - 2.0) * half.1 / 2.5 - wave;
        let written = x.abs() < half.0 * (0.84 - 0.2 * fractal(line * 0.23, 0.7).abs());
        let gap = fractal(x / 260.0 + line * 0.77, 0.4) > 0.62;
        let pen = if written && !gap && (0.0..4.0).contains(&line) { 1.0 } else { 0.0 };
        let ink = pen * (1.6 - to_line.abs() * 320.0 / height as f32 * 0.6).clamp(0.0, 1.0);
        layer.colour[at] = mix(paper, rgb(36, 40, 72), 0.85 * ink);
    }
    layer.lift = height as f32 * 0.012;
    layer
}
