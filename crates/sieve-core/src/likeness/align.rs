//! Laying one image over another: an affine motion, a gain and an offset by Gauss-Newton steps.
//!
//! Inverse compositional (Baker and Matthews, Lucas-Kanade 20 years on, 2004): the slopes are those
//! of the template, which does not move. Robust weights keep logos, marks and fills from pulling.

use super::least_squares::{self, UNKNOWNS};
use super::plane::Plane;
use crate::affine::Affine;
use crate::numeric::simd::{F32x8, Kernel, add, lanes, totals};
use crate::rect::Region;

/// What does not move: an image sampled on a square grid, with its slopes.
pub struct Template {
    side: usize,
    /// Row-major, as are all below.
    pub values: Vec<f32>,
    /// How the value changes with each number of the motion.
    slopes: [Vec<f32>; 6],
    /// The standard deviation of the values, in levels; at least 1.
    deviation: f32,
}

impl Template {
    /// The part of `plane` that `region` shows to the square from -0.5 to 0.5, in `side` x `side`
    /// samples; `side` is a multiple of eight.
    #[inline(always)]
    pub fn new<E: F32x8>(plane: &Plane, region: &Affine, side: usize) -> Self {
        let step = 1.0 / side as f32;
        let mut values = Vec::with_capacity(side * side);
        plane.sample(region, side, &mut values);
        let places: Vec<f32> = (0..side).map(|index| (index as f32 + 0.5) * step - 0.5).collect();
        let mut slopes = [0; 6].map(|_| vec![0.0; side * side]);
        let mut across = vec![0.0; side];
        for row in 0..side {
            let here = &values[row * side..][..side];
            let (above, below) = (row.saturating_sub(1), (row + 1).min(side - 1));
            let between = 1.0 / ((below - above) as f32 * step);
            let (above, below) = (&values[above * side..][..side], &values[below * side..][..side]);
            across[0] = (here[1] - here[0]) / step;
            across[side - 1] = (here[side - 1] - here[side - 2]) / step;
            for (slope, three) in across[1..].iter_mut().zip(here.windows(3)) {
                *slope = (three[2] - three[0]) / (2.0 * step);
            }
            let y = places[row];
            let [x_x, x_y, x_1, y_x, y_y, y_1] =
                slopes.each_mut().map(|slopes| &mut slopes[row * side..][..side]);
            for column in 0..side {
                let (x, across, down) =
                    (places[column], across[column], (below[column] - above[column]) * between);
                (x_x[column], x_y[column], x_1[column]) = (across * x, across * y, across);
                (y_x[column], y_y[column], y_1[column]) = (down * x, down * y, down);
            }
        }
        let deviation = deviation::<E>(&values).max(1.0);
        Template { side, values, slopes, deviation }
    }
}

/// How a template lies on an image.
#[derive(Clone, Copy, Debug)]
pub struct Alignment {
    /// From the template to the image.
    pub map: Affine,
    /// The image's values, times this and plus `offset`, are the template's.
    pub gain: f32,
    /// In levels.
    pub offset: f32,
    /// The share of the template that lies on the image, 0 to 1.
    pub overlap: f32,
}

impl Alignment {
    /// The darkest and the brightest level of the template that both images can show: where one was brightened,
    /// all that is brighter has become white.
    #[inline(always)]
    pub fn shown_by_both(&self) -> (f32, f32) {
        (self.offset.max(0.0), (255.0 * self.gain + self.offset).min(255.0))
    }
}

/// When laying one image over another ends.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Steps at most.
    pub steps: usize,
    /// The misfit after each of the first steps, and after all others, at most, or it is given up.
    pub early: [f32; 4],
    /// The misfit in the end, at most.
    pub misfit: f32,
    /// The share of the template that lies on the image in the end, at least.
    pub overlap: f32,
    /// A step of no more than this share of the side is the last.
    pub settled: f32,
}

/// Room for the kernel of one alignment, used again and again.
#[derive(Default)]
pub struct AlignScratch {
    /// The values of the image where the template's samples lie, after the last step.
    pub sampled: Vec<f32>,
    /// 1 where these lie on the image, 0 elsewhere.
    pub inside: Vec<f32>,
    weights: Vec<f32>,
    residuals: Vec<f32>,
}

/// Moves the template over `image` from `start`. None when it slides off, the two have nothing to
/// hold on to, or do not fit within `limits`.
#[inline(always)]
pub fn align<E: F32x8>(
    template: &Template,
    image: &Plane,
    start: &Affine,
    limits: &Limits,
    scratch: &mut AlignScratch,
) -> Option<Alignment> {
    E::dispatch(Aligning { template, image, start, limits, scratch })
}

/// What is moved over what.
struct Aligning<'a> {
    template: &'a Template,
    image: &'a Plane,
    start: &'a Affine,
    limits: &'a Limits,
    scratch: &'a mut AlignScratch,
}

impl Kernel for Aligning<'_> {
    type Out = Option<Alignment>;

    #[inline(always)]
    fn run<E: F32x8>(self) -> Option<Alignment> {
        steps::<E>(self)
    }
}

#[inline(always)]
fn steps<E: F32x8>(aligning: Aligning<'_>) -> Option<Alignment> {
    let Aligning { template, image, start, limits, scratch } = aligning;
    let mut map = *start;
    let (mut gain, mut offset) = (1.0, 0.0);
    let mut is_settled = false;
    for step in 0..=limits.steps {
        image.sample_inside(&map, template.side, &mut scratch.sampled, &mut scratch.inside);
        if step == 0 {
            // Without gain and offset there are no residuals to weigh by.
            (gain, offset) = tone::<E>(template, scratch)?;
        }
        let (apart, counted) = weigh::<E>(template, gain, offset, scratch);
        let misfit = apart / template.deviation;
        if misfit > limits.early[step.min(3)] {
            return None;
        }
        if is_settled || step == limits.steps {
            let overlap = counted / scratch.sampled.len() as f32;
            let fits = misfit <= limits.misfit && overlap >= limits.overlap;
            return fits.then_some(Alignment { map, gain, offset, overlap });
        }
        let solution = solve::<E>(template, scratch)?;
        (gain, offset) = (solution[6], solution[7]);
        if gain.is_nan() || gain <= 0.0 {
            return None;
        }
        let motion: [f64; 6] =
            std::array::from_fn(|at| Affine::IDENTITY.0[at] + f64::from(solution[at]));
        map = Affine(motion).inverse()?.then(map);
        let moved = solution[..6].iter().fold(0.0f32, |most, value| most.max(value.abs()));
        if moved.is_nan() || moved > 1.0 {
            return None;
        }
        is_settled = moved < limits.settled;
    }
    None
}

/// Writes 1 for each of these points that `map` brings into `region`; leaves others.
#[inline(always)]
pub fn add_inside(map: &Affine, region: &Region, count: usize, into: &mut [f32]) {
    let step = 1.0 / count as f32;
    let [a, b, c, d, e, f] = map.0;
    let (a, b, c, d, e, f) = (a as f32, b as f32, c as f32, d as f32, e as f32, f as f32);
    let Region { left, top, right, bottom } = *region;
    for (row, values) in into.chunks_exact_mut(count).enumerate() {
        let v = (row as f32 + 0.5) * step - 0.5;
        for (column, value) in values.iter_mut().enumerate() {
            let u = (column as f32 + 0.5) * step - 0.5;
            let (x, y) = (a * u + b * v + c, d * u + e * v + f);
            let is_inside = (x >= left) & (x <= right) & (y >= top) & (y <= bottom);
            *value = if is_inside { 1.0 } else { *value };
        }
    }
}

/// The share of samples that lie on the image, and of those that are shown by both, from which on gain and offset
/// can be known.
const LEAST_INSIDE: f32 = 0.5;
const LEAST_SHOWN: f32 = 0.2;
/// Levels from which a sample may be clipped: what it stands for may be brighter.
const CLIPPED: f32 = 254.0;

/// Gain and offset by least squares, before anything is known of what does not fit. What is clipped in one of both
/// says nothing of them.
#[inline(always)]
fn tone<E: F32x8>(template: &Template, scratch: &mut AlignScratch) -> Option<(f32, f32)> {
    let AlignScratch { sampled, inside, weights, .. } = scratch;
    weights.resize(sampled.len(), 0.0);
    let (one, clipped, mut counts) = (E::splat(1.0), E::splat(CLIPPED), E::splat(0.0));
    let lists = lanes(&template.values).iter().zip(lanes(sampled)).zip(lanes(inside));
    for (((value, sampled), inside), weight) in lists.zip(weights.as_chunks_mut().0) {
        let inside = E::load(inside);
        counts = counts.plus(inside);
        let differ =
            E::load(value).less_than(clipped).minus(E::load(sampled).less_than(clipped)).abs();
        inside.times(one.minus(differ)).store(weight);
    }
    let count = inside.len() as f32;
    if counts.sum() < LEAST_INSIDE * count {
        return None;
    }
    let sums = match moments::<E>(sampled, &template.values, weights) {
        shown if shown.weight >= LEAST_SHOWN * count => shown,
        _ => moments::<E>(sampled, &template.values, inside),
    };
    let variance = sums.xx - sums.x * sums.x / sums.weight;
    if variance <= sums.weight {
        return None;
    }
    let gain = (sums.xy - sums.x * sums.y / sums.weight) / variance;
    Some((gain, (sums.y - gain * sums.x) / sums.weight + GREY - gain * GREY))
}

/// Geman and McClure's weights: a sample that fits three times worse than the mean hardly counts.
/// The mean distance is returned, in levels, and how many samples lie on the image.
#[inline(always)]
fn weigh<E: F32x8>(
    template: &Template,
    gain: f32,
    offset: f32,
    scratch: &mut AlignScratch,
) -> (f32, f32) {
    let AlignScratch { sampled, inside, weights, residuals } = scratch;
    residuals.resize(sampled.len(), 0.0);
    weights.resize(sampled.len(), 0.0);
    let (mut sums, mut counts) = (E::splat(0.0), E::splat(0.0));
    let (gain, offset) = (E::splat(gain), E::splat(offset));
    let (zero, one, clipped) = (E::splat(0.0), E::splat(1.0), E::splat(CLIPPED));
    let lists = lanes(&template.values).iter().zip(lanes(sampled)).zip(lanes(inside));
    let into = residuals.as_chunks_mut().0.iter_mut().zip(weights.as_chunks_mut().0);
    for (((value, sampled), inside), (residual, weight)) in lists.zip(into) {
        let (inside, value, sampled) = (E::load(inside), E::load(value), E::load(sampled));
        let apart = value.minus(gain.times(sampled)).minus(offset);
        // What is clipped in one of both may be brighter there.
        let (here, there) = (value.less_than(clipped), sampled.less_than(clipped));
        let (both, is_less) = (here.times(there), apart.less_than(zero));
        let hidden =
            there.minus(both).times(is_less).plus(here.minus(both).times(one.minus(is_less)));
        let shown = inside.times(one.minus(hidden));
        apart.store(residual);
        shown.store(weight);
        sums = sums.plus(apart.abs().times(shown));
        counts = counts.plus(inside);
    }
    let counted = counts.sum();
    let mean = sums.sum() / counted.max(1.0);
    // Never below one level: rounding alone leaves as much.
    let scale = E::splat((2.0 * mean).max(1.0));
    for (residual, weight) in lanes(residuals).iter().zip(weights.as_chunks_mut().0) {
        let ratio = E::load(residual).div(scale);
        let term = one.div(one.plus(ratio.times(ratio)));
        E::load(weight).times(term).times(term).store(weight);
    }
    (mean, counted)
}

/// The standard deviation of `values`.
#[inline(always)]
fn deviation<E: F32x8>(values: &[f32]) -> f32 {
    let (mut sums, mut squares) = (E::splat(0.0), E::splat(0.0));
    for value in lanes(values) {
        let value = E::load(value).minus(E::splat(GREY));
        sums = sums.plus(value);
        squares = squares.plus(value.times(value));
    }
    let mean = sums.sum() / values.len() as f32;
    (squares.sum() / values.len() as f32 - mean * mean).max(0.0).sqrt()
}

/// One step: the numbers that bring template and image together, by weighted least squares.
#[inline(always)]
fn solve<E: F32x8>(template: &Template, scratch: &AlignScratch) -> Option<[f32; UNKNOWNS]> {
    // Unknown motion d, gain g, offset o: value + slopes d = g sampled + o.
    let [x_x, x_y, x_1, y_x, y_y, y_1] = template.slopes.each_ref().map(Vec::as_slice);
    let columns = [x_x, x_y, x_1, y_x, y_y, y_1, &scratch.sampled];
    let (mut normal, mut right) =
        least_squares::sums::<E>(&columns, &template.values, &scratch.weights);
    // The signs that were left away: gain and offset stand on the other side.
    for row in normal.iter_mut().skip(6) {
        for value in row.iter_mut().take(6) {
            *value = -*value;
        }
    }
    for value in &mut right[..6] {
        *value = -*value;
    }
    // A little stiffness, where nothing in the image tells how far to go.
    let stiffness = 1e-3 * (0..6).map(|at| normal[at][at]).sum::<f32>() / 6.0;
    for (at, row) in normal.iter_mut().enumerate().take(6) {
        row[at] += stiffness;
    }
    cholesky(normal, right)
}

/// Solves a symmetric positive definite system of which the lower half is given.
#[inline(always)]
fn cholesky(
    mut lower: [[f32; UNKNOWNS]; UNKNOWNS],
    mut right: [f32; UNKNOWNS],
) -> Option<[f32; UNKNOWNS]> {
    for row in 0..UNKNOWNS {
        for column in 0..=row {
            let known: f32 = (0..column).map(|at| lower[row][at] * lower[column][at]).sum();
            let value = lower[row][column] - known;
            if row == column {
                if value.is_nan() || value <= 1e-9 {
                    return None;
                }
                lower[row][row] = value.sqrt();
            } else {
                lower[row][column] = value / lower[column][column];
            }
        }
        let known: f32 = (0..row).map(|at| lower[row][at] * right[at]).sum();
        right[row] = (right[row] - known) / lower[row][row];
    }
    for row in (0..UNKNOWNS).rev() {
        let known: f32 = (row + 1..UNKNOWNS).map(|at| lower[at][row] * right[at]).sum();
        right[row] = (right[row] - known) / lower[row][row];
    }
    Some(right)
}

/// Weighted sums of two lists of values, both less [`GREY`].
pub struct Moments {
    pub weight: f32,
    pub x: f32,
    pub y: f32,
    pub xx: f32,
    pub yy: f32,
    pub xy: f32,
}

impl Moments {
    /// -1 to 1; 0 where one of the lists does not vary.
    #[inline(always)]
    pub fn correlation(&self) -> f32 {
        let weight = self.weight.max(f32::MIN_POSITIVE);
        let (xx, yy) = (self.xx - self.x * self.x / weight, self.yy - self.y * self.y / weight);
        let together = self.xy - self.x * self.y / weight;
        if xx <= 0.1 * weight || yy <= 0.1 * weight { 0.0 } else { together / (xx * yy).sqrt() }
    }
}

/// Middle grey, in levels.
const GREY: f32 = 128.0;

/// The weighted sums of `x` and `y`.
#[inline(always)]
pub fn moments<E: F32x8>(x: &[f32], y: &[f32], weights: &[f32]) -> Moments {
    let mut sums = [E::splat(0.0); 6];
    for ((x, y), weight) in lanes(x).iter().zip(lanes(y)).zip(lanes(weights)) {
        // About middle grey, so that the squares stay small and exact.
        let (x, y) = (E::load(x).minus(E::splat(GREY)), E::load(y).minus(E::splat(GREY)));
        let weight = E::load(weight);
        let (wx, wy) = (weight.times(x), weight.times(y));
        add(&mut sums, [weight, wx, wy, wx.times(x), wy.times(y), wx.times(y)]);
    }
    let [weight, x, y, xx, yy, xy] = totals(sums);
    Moments { weight, x, y, xx, yy, xy }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::likeness::Planes;
    use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
    use proptest::prelude::*;

    /// Waves of a few lengths, seen through `map` and with another tone.
    fn waves(map: Affine, gain: f64, offset: f64) -> Planes {
        let luma = (0..LUMA_PX * LUMA_PX).map(|at| {
            let place = |at: usize| (at as f64 + 0.5) / LUMA_PX as f64 - 0.5;
            let (x, y) = map.at(place(at % LUMA_PX), place(at / LUMA_PX));
            let sum = (9.0 * x + 2.0 * y).sin() + (4.0 * x - 11.0 * y).cos() + (7.0 * x * y).sin();
            (128.0 + (30.0 * sum) * gain + offset).round() as u8
        });
        let bytes: Vec<u8> = luma.chain([128; 2 * CHROMA_PX * CHROMA_PX]).collect();
        Planes::new(Thumbnail(bytes))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn a_small_motion_and_a_change_of_tone_are_found(
            motion in prop::array::uniform6(-0.06f64..0.06), gain in 0.7f64..1.3, offset in -20.0f64..20.0,
        ) {
            let sought = Affine(std::array::from_fn(|at| Affine::IDENTITY.0[at] + motion[at]));
            // What stands at p in the template stands at sought(p) in the image.
            let template = Template::new::<[f32; 8]>(&waves(sought, 1.0, 0.0).luma(), &Affine::IDENTITY, 32);
            let image = waves(Affine::IDENTITY, gain, offset).luma();
            let mut scratch = AlignScratch::default();
            let limits =
                Limits { steps: 12, early: [9.0, 9.0, 9.0, 0.5], misfit: 0.06, overlap: 0.75, settled: 2e-3 };
            let found = align::<[f32; 8]>(&template, &image, &Affine::IDENTITY, &limits, &mut scratch).unwrap();
            for (x, y) in [(-0.4, -0.4), (0.4, -0.4), (0.0, 0.0), (-0.4, 0.4), (0.4, 0.4)] {
                let ((a, b), (c, d)) = (found.map.at(x, y), sought.at(x, y));
                // A quarter of a cell of the thumbnail.
                prop_assert!((a - c).hypot(b - d) < 0.25 / LUMA_PX as f64, "{found:?} {sought:?}");
            }
            prop_assert!((f64::from(found.gain) * gain - 1.0).abs() < 0.05);
            let off = sought.then(Affine([1.0, 0.0, 0.6, 0.0, 1.0, 0.0]));
            for limits in [
                Limits { early: [0.3; 4], ..limits },
                Limits { steps: 1, ..limits },
                Limits { overlap: 1.01, ..limits },
            ] {
                prop_assert!(align::<[f32; 8]>(&template, &image, &off, &limits, &mut scratch).is_none());
            }
        }

        #[test]
        fn what_is_burnt_out_does_not_pull(
            shift in prop::array::uniform2(-0.04f64..0.04), gain in 1.3f64..1.7, swapped in any::<bool>(),
        ) {
            // Up to a third of the brighter one is white.
            let dark = waves(Affine::shift(shift[0], shift[1]), 1.0, 0.0).luma();
            let level = |at: usize| f64::from(dark.level(at / LUMA_PX, at % LUMA_PX)) * gain;
            let bytes: Vec<u8> = (0..LUMA_PX * LUMA_PX).map(|at| level(at).min(255.0) as u8).collect();
            let bright = Plane::of_bytes(LUMA_PX, &bytes);
            let (still, other, gain) = match swapped {
                true => (&bright, &dark, gain),
                false => (&dark, &bright, 1.0 / gain),
            };
            let template = Template::new::<[f32; 8]>(still, &Affine::IDENTITY, 32);
            let limits =
                Limits { steps: 12, early: [9.0; 4], misfit: 0.05, overlap: 0.75, settled: 2e-3 };
            let found = align::<[f32; 8]>(&template, other, &Affine::IDENTITY, &limits, &mut AlignScratch::default());
            let found = found.expect("the rest fits");
            prop_assert!(found.map.is_near(Affine::IDENTITY, 0.01), "{found:?}");
            prop_assert!((f64::from(found.gain) / gain - 1.0).abs() < 0.05, "{found:?} {gain}");
        }

        #[test]
        fn points_are_inside_where_their_map_brings_them_into_the_region(
            map in prop::array::uniform6(-1.2f64..1.2), edges in prop::array::uniform4(0.0f32..0.5),
        ) {
            let map = Affine(map);
            let region = Region { left: -edges[0], top: -edges[1], right: edges[2], bottom: edges[3] };
            let mut values = vec![0.0; 64];
            add_inside(&map, &region, 8, &mut values);
            let (mut whole, plane) = (Vec::new(), waves(Affine::IDENTITY, 1.0, 0.0).luma());
            plane.sample_inside(&map, 8, &mut Vec::new(), &mut whole);
            for at in 0..64 {
                let place = |at: usize| (at as f64 + 0.5) / 8.0 - 0.5;
                let (x, y) = map.at(place(at % 8), place(at / 8));
                let is_in = |r: &Region, slack: f64| {
                    x >= f64::from(r.left) - slack && x <= f64::from(r.right) + slack
                        && y >= f64::from(r.top) - slack && y <= f64::from(r.bottom) + slack
                };
                for (region, value) in [(&region, values[at]), (&Region::WHOLE, whole[at])] {
                    prop_assert!(value == 0.0 || is_in(region, 1e-6));
                    prop_assert!(value == 1.0 || !is_in(region, -1e-6));
                }
            }
        }
    }
}
