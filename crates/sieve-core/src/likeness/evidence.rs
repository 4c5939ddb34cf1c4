//! What speaks for and against two pictures being the same, once one is laid over the other.

use super::align::{self, Alignment, moments};
use super::chroma::Chroma;
use super::details::{Bands, Parts, Together, share_seen};
use super::distortion::Distortion;
use super::eight::{Eight, eights};
use super::plane::Planes;
use crate::affine::Affine;
use crate::measuring::halved;
use crate::region::Region;

/// Samples along each side when colours are compared.
const CHROMA: usize = 16;

/// Numbers that are weighed together.
pub const EVIDENCE: usize = 27;

/// The places of `ln(1 - r)` of fine and of faint details among the numbers.
const FINE: usize = 3;
const FAINT: usize = 26;

/// The share of the samples that must show more than borders.
const LEAST_SHARE: f32 = 0.005;

/// What speaks for and against.
#[derive(Clone, Copy, Debug)]
pub struct Evidence {
    /// In this order: `ln(1 - r)` of the correlations of all values, of those that fit, and of middle and
    /// fine details; share of samples that fit; `ln` of the mean misfit, and of the strength of
    /// middle and fine details; how unlike that strength is; how much of the colours fits, how
    /// much colour there is, and how far it is apart; overlap; how strong the gain and the offset are;
    /// `ln(1 - r)` of middle details with what does not fit; `ln` of the share of seen details; by how much
    /// angles and sides are changed; `ln` of the misfit of the worst part; `ln(1 - r)` of the parts, in the
    /// mean, at worst, and in the mean of all in which anything at all is to be seen; `ln` of the share of
    /// the samples that count; `ln(1 - r)` of the part below which a quarter lie, and the share of parts in
    /// which something is to be seen; `ln(1 - r)` of faint details. `scripts/fit-likeness.py` weighs them.
    pub numbers: [f32; EVIDENCE],
    /// From the picture wanted to the one found, both the square from -0.5 to 0.5.
    pub map: Affine,
    /// In which ways one had to be changed to lie on the other: mirrored or turned by quarters, tilted, cropped or
    /// framed, squeezed. The more, the easier something fits by chance.
    pub ways: [bool; 4],
}

/// A share of a side that counts as no motion.
const STILL: f64 = 0.004;
/// `ln(1 - r)` of pictures of which one was only saved again: r = 0.997.
const SAVED_AGAIN: f32 = -5.8;

impl Evidence {
    /// The correlations of fine details and of faint ones, -1 to 1.
    pub fn texture(&self) -> [f32; 2] {
        [FINE, FAINT].map(|at| 1.0 - self.numbers[at].exp())
    }

    /// Whether nothing has moved, and the pictures correlate as they do when one was only saved again.
    pub fn is_still(&self) -> bool {
        self.map.is_near(Affine::IDENTITY, STILL) && self.numbers[0] < SAVED_AGAIN
    }
}

/// What is compared, and room for the work of it, used again and again.
#[derive(Default)]
pub struct Samples {
    /// The values of the picture wanted, row by row.
    pub wanted: Vec<f32>,
    /// Those of the one found at the same places.
    pub found: Vec<f32>,
    /// 1 where these lie on it, 0 elsewhere.
    pub weights: Vec<f32>,
    inside: Vec<f32>,
    chroma: [Vec<f32>; 5],
}

/// Two pictures, one laid over the other.
pub struct Laid<'a> {
    /// The picture that does not move, and the one that was brought to it.
    pub planes: [&'a Planes; 2],
    /// The part of the first that was compared.
    pub view: &'a Affine,
    /// How it lies on the second.
    pub alignment: &'a Alignment,
    /// Width over height of both.
    pub aspects: [f32; 2],
    /// What lies within their borders.
    pub contents: [Option<Region>; 2],
}

impl Laid<'_> {
    /// The evidence on the `side` x `side` samples that lie in `room`. None when no copy is ever made
    /// so.
    #[inline(always)]
    pub fn evidence<E: Eight>(&self, side: usize, room: &mut Samples) -> Option<Evidence> {
        let Laid { view, alignment, .. } = *self;
        let map = view.inverse()?.then(alignment.map);
        let distortion = Distortion::of(&map, self.aspects);
        if !distortion.is_of_a_copy() {
            return None;
        }
        let chroma = self.chroma::<E>(&mut room.chroma);
        let Samples { wanted: a, found: b, weights, inside, .. } = room;
        // What is burnt out in one of both says nothing of the other.
        let (darkest, brightest) = alignment.shown_by_both();
        for (a, b) in a.iter_mut().zip(b.iter_mut()) {
            *a = a.max(darkest).min(brightest);
            *b = (*b * alignment.gain + alignment.offset).max(darkest).min(brightest);
        }
        self.leave_out_borders(side, weights, inside);
        inside.clone_from(weights);
        let apart = moments::<E>(a, b, weights);
        if apart.weight < LEAST_SHARE * (side * side) as f32 {
            return None;
        }
        let (weight, residual) = (apart.weight, distance::<E>(a, b, weights));
        let mean_residual = residual / weight;
        let whole = apart.correlation();
        let variance = |square: f32, sum: f32| ((square - sum * sum / weight) / weight).max(0.0);
        let contrast = variance(apart.xx, apart.x).min(variance(apart.yy, apart.y)).sqrt();
        let parts = Parts::of::<E>(a, b, inside, side, whole);
        // The samples that fit well; a mark or a logo is among the others.
        let fitting = keep_fitting::<E>(a, b, weights, (0.3 * contrast).max(4.0));
        let robust = moments::<E>(a, b, weights).correlation();
        let (half_weights, half_inside) = (halved(weights, side), halved(inside, side));
        let bands = [Bands::of(a, side), Bands::of(b, side)];
        let middle = Together::of::<E>(&bands[0].middle, &bands[1].middle, &half_weights);
        let [fine, faint] = Together::all_and_faint::<E>(&bands[0].fine, &bands[1].fine, weights);
        let plain_middle = Together::of::<E>(&bands[0].middle, &bands[1].middle, &half_inside);
        let seen = share_seen::<E>(&bands[0].middle, &half_inside)
            .min(share_seen::<E>(&bands[1].middle, &half_inside));
        let ratio = |pair: [f32; 2]| ((pair[0] + 0.5) / (pair[1] + 0.5)).ln().abs();
        let unlikely = |value: f32| (1.0 - value.clamp(-1.0, 0.9999)).ln();
        let numbers = [
            unlikely(whole),
            unlikely(robust),
            unlikely(middle.correlation),
            unlikely(fine.correlation),
            fitting / weight,
            (mean_residual / contrast.max(1.0)).max(1e-3).ln(),
            (middle.strengths[0].min(middle.strengths[1]) + 0.5).ln(),
            (fine.strengths[0].min(fine.strengths[1]) + 0.5).ln(),
            ratio(middle.strengths),
            chroma.0,
            chroma.1,
            chroma.2,
            alignment.overlap,
            alignment.gain.ln().abs(),
            alignment.offset.abs() / 100.0,
            unlikely(plain_middle.correlation),
            (seen + 0.01).ln(),
            distortion.shear,
            distortion.stretch,
            (parts.worst_apart / contrast.max(1.0)).max(1e-3).ln(),
            unlikely(parts.mean),
            unlikely(parts.least),
            unlikely(parts.faint),
            (weight / (side * side) as f32).ln(),
            unlikely(parts.quarter),
            parts.clear,
            unlikely(faint.correlation),
        ];
        Some(Evidence { numbers, map, ways: distortion.ways() })
    }

    /// Where both show nothing but their borders, they would agree on these.
    #[inline(always)]
    fn leave_out_borders(&self, side: usize, weights: &mut [f32], room: &mut Vec<f32>) {
        if let [Some(first), Some(second)] = &self.contents {
            room.clear();
            room.resize(weights.len(), 0.0);
            align::add_inside(self.view, first, side, room);
            align::add_inside(&self.alignment.map, second, side, room);
            weights.iter_mut().zip(room).for_each(|(weight, counts)| *weight *= *counts);
        }
    }

    /// How the colours fit, see [`Chroma::fit`].
    #[inline(always)]
    fn chroma<E: Eight>(&self, room: &mut [Vec<f32>; 5]) -> (f32, f32, f32) {
        let [a_blue, a_red, b_blue, b_red, inside] = room;
        let ([wanted, found], map) = (self.planes, &self.alignment.map);
        wanted.chroma[0].sample(self.view, CHROMA, a_blue);
        wanted.chroma[1].sample(self.view, CHROMA, a_red);
        found.chroma[0].sample_inside(map, CHROMA, b_blue, inside);
        found.chroma[1].sample(map, CHROMA, b_red);
        Chroma::of::<E>([a_blue, a_red], [b_blue, b_red], inside).fit()
    }
}

/// The weighted sum of the distances of two lists.
#[inline(always)]
fn distance<E: Eight>(a: &[f32], b: &[f32], weights: &[f32]) -> f32 {
    let mut sum = E::all(0.0);
    for ((a, b), weight) in eights(a).iter().zip(eights(b)).zip(eights(weights)) {
        sum = sum.plus(E::load(a).minus(E::load(b)).size().times(E::load(weight)));
    }
    sum.total()
}

/// Lets samples that are further apart than `level` weigh little; the weight of the others is
/// returned.
#[inline(always)]
fn keep_fitting<E: Eight>(a: &[f32], b: &[f32], weights: &mut [f32], level: f32) -> f32 {
    let (level, one, mut sum) = (E::all(level), E::all(1.0), E::all(0.0));
    let wide = level.plus(level);
    let lists = eights(a).iter().zip(eights(b)).zip(weights.as_chunks_mut().0);
    for ((a, b), weights) in lists {
        let (apart, weight) = (E::load(a).minus(E::load(b)).size(), E::load(weights));
        sum = sum.plus(weight.times(apart.below(level)));
        let ratio = apart.over(wide);
        let term = one.over(one.plus(ratio.times(ratio)));
        weight.times(term).times(term).store(weights);
    }
    sum.total()
}
