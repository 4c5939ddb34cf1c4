//! What speaks for and against two pictures being the same, once one is laid over the other.

use super::align::{self, Alignment, Template, Workspace, correlation};
use super::plane::Planes;
use super::verdict::{LEAST, MOST};
use super::view::{Subject, Turn, View};
use crate::affine::Affine;
use crate::measuring::halved;

/// Samples along each side when two pictures are compared in detail.
const DETAIL: usize = 48;
/// Samples along each side when their colours are.
const CHROMA: usize = 16;
/// Where the search for the right place begins and where it ends.
const COARSE: usize = 16;
const FINE: usize = 32;
/// Misfits above which it is given up: after a first few steps, before the fine ones, and after.
const GIVE_UP: [f32; 3] = [0.5, 0.4, 0.42];
/// The share of a picture that must lie on the other.
const LEAST_OVERLAP: f32 = 0.6;

/// Levels above which a detail is seen.
const SEEN_LEVELS: f32 = 4.0;

/// Numbers that are weighed together.
pub const EVIDENCE: usize = 20;

/// What speaks for and against.
#[derive(Clone, Copy, Debug)]
pub struct Evidence {
    /// In this order: `ln(1 - r)` of the correlations of all values, of those that fit, and of middle and
    /// fine details; share of samples that fit; `ln` of the mean misfit, of the contrast, and of the
    /// strength of middle and fine details; how unlike that strength is; how much of the colours fits, how
    /// much colour there is, and how far it is apart; overlap; how strong the gain and the offset are;
    /// `ln(1 - r)` of middle details with what does not fit; `ln` of the share of seen details; by how much
    /// angles and sides are changed. `scripts/fit-likeness.py` names them.
    pub numbers: [f32; EVIDENCE],
    /// From the picture wanted to the one found, both the square from -0.5 to 0.5.
    pub map: Affine,
    /// In how many ways one had to be changed to lie on the other: mirrored or turned by quarters,
    /// tilted, cropped or framed, squeezed; 0 to 4. The more, the easier something fits by chance.
    pub departures: u8,
}

/// A share of a side that counts as no motion.
const STILL: f64 = 0.004;
/// `ln(1 - r)` of pictures of which one was only saved again: r = 0.997.
const SAVED_AGAIN: f32 = -5.8;

impl Evidence {
    /// Whether nothing has moved, and the pictures correlate as they do when one was only saved again.
    pub fn is_still(&self) -> bool {
        let moved = self.map.0.iter().zip(Affine::IDENTITY.0).any(|(a, b)| (a - b).abs() > STILL);
        !moved && self.numbers[0] < SAVED_AGAIN
    }
}

/// The part of the picture wanted that is compared.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Start {
    /// From the square to the picture wanted: what is laid over the other.
    pub view: Affine,
    /// From the square to the picture found: where it may lie.
    pub map: Affine,
    /// What is compared in the end; the view itself where that is all.
    pub whole: Affine,
    /// Whether the border of the picture wanted is painted over.
    pub is_content: bool,
}

impl Start {
    /// The view that was looked for, and where what was found lies on its picture.
    pub fn of(view: &View, map: Affine) -> Self {
        Start { view: view.map, map, whole: view.whole, is_content: view.is_content }
    }

    /// The whole picture wanted, where `map` brings it.
    pub fn along(map: Affine) -> Self {
        Start { view: Affine::IDENTITY, map, whole: Affine::IDENTITY, is_content: false }
    }

    /// Both pictures whole, each turned into its normal position.
    pub fn whole(wanted: Turn, found: Turn) -> Self {
        let view = wanted.map();
        Start { view, map: found.map(), whole: Affine::IDENTITY, is_content: false }
    }
}

/// Lays `wanted` over `found`. None when nothing fits.
pub fn compare(
    wanted: &Subject,
    found: &Subject,
    start: &Start,
    room: &mut Room,
) -> Option<Evidence> {
    #[cfg(target_arch = "x86_64")]
    if is_x86_feature_detected!("avx2") {
        // SAFETY: the processor has what the function was built for.
        return unsafe { compare_eight_wide(wanted, found, start, room) };
    }
    compare_anywhere(wanted, found, start, room)
}

/// The same sums of the same numbers in the same order, so the same evidence, but eight lanes at a
/// time.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn compare_eight_wide(
    wanted: &Subject,
    found: &Subject,
    start: &Start,
    room: &mut Room,
) -> Option<Evidence> {
    compare_anywhere(wanted, found, start, room)
}

#[inline(always)]
fn compare_anywhere(
    wanted: &Subject,
    found: &Subject,
    start: &Start,
    room: &mut Room,
) -> Option<Evidence> {
    let planes = &*wanted.planes(start.is_content);
    let coarse = Template::of(&planes.half, &start.view, COARSE);
    let first = align::align(&coarse, &found.all.half, &start.map, 3, &mut room.work)?;
    if first.misfit > GIVE_UP[0] {
        return None;
    }
    let second = align::align(&coarse, &found.all.half, &first.map, 5, &mut room.work)?;
    if second.misfit > GIVE_UP[1] || second.overlap < LEAST_OVERLAP {
        return None;
    }
    let map = start.whole.then(start.view.inverse()?).then(second.map);
    let fine = Template::of(&planes.luma, &start.whole, FINE);
    let third = align::align(&fine, &found.all.luma, &map, 4, &mut room.work)?;
    if third.misfit > GIVE_UP[2] || third.overlap < LEAST_OVERLAP {
        return None;
    }
    detail(planes, &found.all, &start.whole, &third, [wanted.aspect, found.aspect], room)
}

/// Room for the work of one comparison, used again and again.
#[derive(Default)]
pub struct Room {
    work: Workspace,
    wanted: Vec<f32>,
    found: Vec<f32>,
    weights: Vec<f32>,
    inside: Vec<f32>,
    chroma: [Vec<f32>; 5],
}

#[inline(always)]
fn detail(
    wanted: &Planes,
    found: &Planes,
    view: &Affine,
    alignment: &Alignment,
    aspects: [f32; 2],
    room: &mut Room,
) -> Option<Evidence> {
    let map = view.inverse()?.then(alignment.map);
    let distortion = distortion(&map, aspects);
    if !distortion.is_of_a_copy() {
        return None;
    }
    let Room { wanted: a, found: b, weights, inside: inside_weights, chroma, .. } = room;
    wanted.luma.sample(view, DETAIL, a);
    found.luma.sample(&alignment.map, DETAIL, b);
    align::inside(&alignment.map, DETAIL, weights);
    let mut residuals = 0.0;
    for ((a, b), weight) in a.iter().zip(b.iter_mut()).zip(weights.iter()) {
        *b = *b * alignment.gain + alignment.offset;
        residuals += (a - *b).abs() * weight;
    }
    let (chroma_fit, chroma_there, chroma_apart) = {
        let [a_blue, a_red, b_blue, b_red, inside] = chroma;
        wanted.chroma[0].sample(view, CHROMA, a_blue);
        wanted.chroma[1].sample(view, CHROMA, a_red);
        found.chroma[0].sample(&alignment.map, CHROMA, b_blue);
        found.chroma[1].sample(&alignment.map, CHROMA, b_red);
        align::inside(&alignment.map, CHROMA, inside);
        let mut sums = Chroma::default();
        for at in 0..CHROMA * CHROMA {
            if inside[at] > 0.0 {
                sums.add(
                    [a_blue[at] - 128.0, a_red[at] - 128.0],
                    [b_blue[at] - 128.0, b_red[at] - 128.0],
                );
            }
        }
        sums.fit()
    };
    let inside = weights.iter().sum::<f32>().max(1.0);
    let mean_residual = residuals / inside;
    let whole = correlation(a, b, weights);
    let contrast = deviation(a, weights).min(deviation(b, weights));
    inside_weights.clone_from(weights);
    // The samples that fit well; a mark or a logo is among the others.
    let level = (0.3 * contrast).max(4.0);
    let mut fitting = 0.0;
    for (index, weight) in weights.iter_mut().enumerate() {
        let fits = (a[index] - b[index]).abs() < level;
        fitting += *weight * f32::from(u8::from(fits));
        let ratio = (a[index] - b[index]) / (2.0 * level);
        let term = 1.0 / (1.0 + ratio * ratio);
        *weight *= term * term;
    }
    let robust = correlation(a, b, weights);
    let (half_a, half_b) = (halved(a, DETAIL), halved(b, DETAIL));
    let (half_weights, half_inside) = (halved(weights, DETAIL), halved(inside_weights, DETAIL));
    let bands_a = [without_neighbours(&half_a, DETAIL / 2), without_neighbours(a, DETAIL)];
    let bands_b = [without_neighbours(&half_b, DETAIL / 2), without_neighbours(b, DETAIL)];
    let middle = correlation_of_details(&bands_a[0], &bands_b[0], &half_weights);
    let finest = correlation_of_details(&bands_a[1], &bands_b[1], weights);
    let plain_middle = correlation_of_details(&bands_a[0], &bands_b[0], &half_inside);
    let structure = structure(&bands_a[0], &half_inside).min(structure(&bands_b[0], &half_inside));
    let energy = |band: &[f32], weights: &[f32]| {
        let sum: f32 = band.iter().zip(weights).map(|(value, weight)| value * value * weight).sum();
        (sum / weights.iter().sum::<f32>().max(1.0)).sqrt()
    };
    let middle_energy = [energy(&bands_a[0], &half_weights), energy(&bands_b[0], &half_weights)];
    let finest_energy = [energy(&bands_a[1], weights), energy(&bands_b[1], weights)];
    let ratio = |pair: [f32; 2]| ((pair[0] + 0.5) / (pair[1] + 0.5)).ln().abs();
    let unlikely = |value: f32| (1.0 - value.clamp(-1.0, 0.9999)).ln();
    let numbers = [
        unlikely(whole),
        unlikely(robust),
        unlikely(middle),
        unlikely(finest),
        fitting / inside,
        (mean_residual / contrast.max(1.0)).max(1e-3).ln(),
        contrast.max(1.0).ln(),
        (middle_energy[0].min(middle_energy[1]) + 0.5).ln(),
        (finest_energy[0].min(finest_energy[1]) + 0.5).ln(),
        ratio(middle_energy),
        chroma_fit,
        chroma_there,
        chroma_apart,
        alignment.overlap,
        alignment.gain.ln().abs(),
        alignment.offset.abs() / 100.0,
        unlikely(plain_middle),
        (structure + 0.01).ln(),
        distortion.shear,
        distortion.stretch,
    ];
    let numbers = std::array::from_fn(|at| numbers[at].clamp(LEAST[at], MOST[at]));
    Some(Evidence { numbers, map, departures: distortion.departures() })
}

/// What a map does to pictures in pixels.
struct Distortion {
    /// By how much right angles are bent: the cosine of what they become.
    shear: f32,
    /// By how much one side is stretched more than the other, as a logarithm.
    stretch: f32,
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
    /// Whether a copy is ever made so: sides squeezed to half, or leaning by more than a picture that
    /// was set upright. One leaf is easily turned until it lies on another.
    fn is_of_a_copy(&self) -> bool {
        self.shear < 0.3 && self.stretch < 0.8 && self.tilt < 15.0
    }

    fn departures(&self) -> u8 {
        let is_squeezed = self.stretch > GRAIN.2 || self.shear > GRAIN.2;
        let ways = [self.is_turned, self.tilt > GRAIN.0, self.scale > GRAIN.1, is_squeezed];
        ways.into_iter().map(u8::from).sum()
    }
}

#[inline(always)]
fn distortion(map: &Affine, aspects: [f32; 2]) -> Distortion {
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

/// The share of samples whose detail is seen, 0 to 1.
#[inline(always)]
fn structure(details: &[f32], weights: &[f32]) -> f32 {
    let seen = details
        .iter()
        .zip(weights)
        .map(|(detail, weight)| if detail.abs() > SEEN_LEVELS { *weight } else { 0.0 });
    seen.sum::<f32>() / weights.iter().sum::<f32>().max(1.0)
}

#[inline(always)]
fn deviation(values: &[f32], weights: &[f32]) -> f32 {
    let sums = align::moments(values, values, weights);
    let weight = sums.weight.max(1.0);
    ((sums.xx - sums.x * sums.x / weight) / weight).max(0.0).sqrt()
}

/// Each value less the mean of the 5 x 5 around it: what is left of a picture is its detail.
#[inline(always)]
fn without_neighbours(values: &[f32], side: usize) -> Vec<f32> {
    // Five values to the left and right; beyond the edge its value again.
    let mut across = vec![0.0; values.len()];
    let mut padded = vec![0.0; side + 4];
    for (row, sums) in values.chunks_exact(side).zip(across.chunks_exact_mut(side)) {
        padded[..2].fill(row[0]);
        padded[2..side + 2].copy_from_slice(row);
        padded[side + 2..].fill(row[side - 1]);
        for (x, sum) in sums.iter_mut().enumerate() {
            let five = &padded[x..x + 5];
            *sum = five[0] + five[1] + five[2] + five[3] + five[4];
        }
    }
    let mut details = Vec::with_capacity(values.len());
    for y in 0..side {
        let row = |d: usize| &across[(y + d).saturating_sub(2).min(side - 1) * side..][..side];
        let (rows, here) = ([row(0), row(1), row(2), row(3), row(4)], &values[y * side..][..side]);
        details.extend((0..side).map(|x| {
            here[x] - (rows[0][x] + rows[1][x] + rows[2][x] + rows[3][x] + rows[4][x]) / 25.0
        }));
    }
    details
}

/// Correlation of what varies around zero.
#[inline(always)]
fn correlation_of_details(a: &[f32], b: &[f32], weights: &[f32]) -> f32 {
    let mut sums = [[0.0f32; 8]; 4];
    let lanes =
        a.as_chunks::<8>().0.iter().zip(b.as_chunks::<8>().0).zip(weights.as_chunks::<8>().0);
    for ((a, b), weights) in lanes {
        for lane in 0..8 {
            let (a, b, weight) = (a[lane], b[lane], weights[lane]);
            sums[0][lane] += weight * a * a;
            sums[1][lane] += weight * b * b;
            sums[2][lane] += weight * a * b;
            sums[3][lane] += weight;
        }
    }
    let [aa, bb, ab, weight] = sums.map(|lanes| lanes.iter().sum::<f32>());
    // Half a level of chance on each value: where there is no detail, there is none to agree on.
    let floor = 0.25 * weight;
    ab / ((aa + floor) * (bb + floor)).sqrt().max(f32::MIN_POSITIVE)
}

/// Sums of two pictures' chroma at the same places.
#[derive(Default)]
struct Chroma {
    count: f32,
    a: [f32; 2],
    b: [f32; 2],
    aa: [f32; 3],
    bb: f32,
    ab: [[f32; 2]; 2],
    apart: f32,
}

impl Chroma {
    #[inline(always)]
    fn add(&mut self, a: [f32; 2], b: [f32; 2]) {
        self.count += 1.0;
        for at in 0..2 {
            self.a[at] += a[at];
            self.b[at] += b[at];
            self.ab[at][0] += a[0] * b[at];
            self.ab[at][1] += a[1] * b[at];
            self.apart += (a[at] - b[at]).abs();
        }
        self.aa[0] += a[0] * a[0];
        self.aa[1] += a[0] * a[1];
        self.aa[2] += a[1] * a[1];
        self.bb += b[0] * b[0] + b[1] * b[1];
    }

    /// How much of the variation of one picture's chroma is a linear function of the other's, 0 to
    /// 1; how much chroma varies in both; and how far the colours are apart.
    #[inline(always)]
    fn fit(&self) -> (f32, f32, f32) {
        let count = self.count.max(1.0);
        let within = |sum: f32, a: f32, b: f32| (sum - a * b / count) / count;
        let aa = [
            within(self.aa[0], self.a[0], self.a[0]),
            within(self.aa[1], self.a[0], self.a[1]),
            within(self.aa[2], self.a[1], self.a[1]),
        ];
        let bb = within(self.bb, self.b[0], self.b[0]) - self.b[1] * self.b[1] / count / count;
        // Two levels of chance: grey pictures have no chroma to agree on.
        let (xx, xy, yy) = (aa[0] + 4.0, aa[1], aa[2] + 4.0);
        let determinant = xx * yy - xy * xy;
        let mut explained = 0.0;
        for at in 0..2 {
            let (x, y) = (
                within(self.ab[at][0], self.a[0], self.b[at]),
                within(self.ab[at][1], self.a[1], self.b[at]),
            );
            explained += (x * x * yy - 2.0 * x * y * xy + y * y * xx) / determinant;
        }
        let varies = (aa[0] + aa[2]).min(bb);
        let fit = explained / (bb + 8.0);
        let there = (varies / (varies + 64.0)).clamp(0.0, 1.0);
        (fit.clamp(0.0, 1.0) * there, there, (1.0 + self.apart / count / 2.0).ln())
    }
}
