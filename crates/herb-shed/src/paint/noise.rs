//! Noise for surfaces: one fractal texture that tiles, sampled at any place and scale.

use std::sync::OnceLock;

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;

/// Side of the texture in samples.
const SIDE: usize = 256;

/// Fractal noise around 0, mostly within -1 to 1. One unit of `x` or `y` is the whole texture; the
/// coarsest waves have a fourth of it.
pub fn fractal(x: f32, y: f32) -> f32 {
    static TEXTURE: OnceLock<Texture> = OnceLock::new();
    sample(TEXTURE.get_or_init(|| texture(&[4, 8, 16, 32, 64, 128])), x, y)
}

/// White noise around 0 within -1 to 1, smoothed between its 256 x 256 samples a unit.
pub fn grain(x: f32, y: f32) -> f32 {
    static TEXTURE: OnceLock<Texture> = OnceLock::new();
    sample(TEXTURE.get_or_init(|| texture(&[256])), x, y)
}

/// Its size is known to the compiler, so that reading it needs no check of bounds.
type Texture = Box<[f32; SIDE * SIDE]>;

fn texture(cells: &[usize]) -> Texture {
    let mut rng = ChaCha8Rng::seed_from_u64(7); // a texture, not a choice: the same for all seeds
    let mut sum = vec![0.0f32; SIDE * SIDE];
    for (octave, &cells) in cells.iter().enumerate() {
        let lattice: Vec<f32> =
            (0..cells * cells).map(|_| rng.random_range(-1.0f32..1.0)).collect();
        let strength = 0.5f32.powi(octave as i32);
        for (at, value) in sum.iter_mut().enumerate() {
            let place = |index: usize| index as f32 * cells as f32 / SIDE as f32;
            *value += strength * lattice_at(&lattice, cells, place(at % SIDE), place(at / SIDE));
        }
    }
    sum.into_boxed_slice().try_into().expect("as many samples as were made")
}

/// The lattice, which repeats, at a place between its points; eased, so that no edges show.
fn lattice_at(lattice: &[f32], cells: usize, x: f32, y: f32) -> f32 {
    let ease = |t: f32| t * t * (3.0 - 2.0 * t);
    let (x0, y0) = (x as usize % cells, y as usize % cells);
    let (x1, y1) = ((x0 + 1) % cells, (y0 + 1) % cells);
    let (fx, fy) = (ease(x.fract()), ease(y.fract()));
    let top = lattice[y0 * cells + x0] * (1.0 - fx) + lattice[y0 * cells + x1] * fx;
    let bottom = lattice[y1 * cells + x0] * (1.0 - fx) + lattice[y1 * cells + x1] * fx;
    top * (1.0 - fy) + bottom * fy
}

/// The texture between its samples. Called several times a pixel: rounding goes through integers,
/// which is many times faster than `floor` on processors of the baseline.
fn sample(texture: &Texture, x: f32, y: f32) -> f32 {
    const MASK: i32 = SIDE as i32 - 1;
    /// Makes every place positive; a whole number of textures.
    const SHIFT: f32 = (SIDE * 256) as f32;
    let (x, y) = (x * SIDE as f32 + SHIFT, y * SIDE as f32 + SHIFT);
    let (left, top) = (x as i32, y as i32);
    let (fx, fy) = (x - left as f32, y - top as f32);
    let at = |x: i32, y: i32| texture[((y & MASK) as usize * SIDE) | (x & MASK) as usize];
    let above = at(left, top) * (1.0 - fx) + at(left + 1, top) * fx;
    let below = at(left, top + 1) * (1.0 - fx) + at(left + 1, top + 1) * fx;
    above * (1.0 - fy) + below * fy
}

/// The mean over a square of `2 * radius + 1`; beyond the border the border goes on.
pub fn box_blur(values: &[f32], width: usize, height: usize, radius: usize) -> Vec<f32> {
    if radius == 0 || values.is_empty() {
        return values.to_vec();
    }
    let mut across = vec![0.0; values.len()];
    for (from, to) in values.chunks_exact(width).zip(across.chunks_exact_mut(width)) {
        running_mean(|i| from[i], width, radius, |i, mean| to[i] = mean);
    }
    let mut down = vec![0.0; values.len()];
    for x in 0..width {
        running_mean(
            |i| across[i * width + x],
            height,
            radius,
            |i, mean| {
                down[i * width + x] = mean;
            },
        );
    }
    down
}

fn running_mean(
    from: impl Fn(usize) -> f32,
    length: usize,
    radius: usize,
    mut to: impl FnMut(usize, f32),
) {
    let last = length - 1;
    let window = (2 * radius + 1) as f32;
    let mut sum: f32 = from(0) * (radius + 1) as f32;
    sum += (1..=radius).map(|i| from(i.min(last))).sum::<f32>();
    for i in 0..length {
        to(i, sum / window);
        sum += from((i + radius + 1).min(last)) - from(i.saturating_sub(radius));
    }
}
