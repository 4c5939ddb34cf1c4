//! What speaks for and against two images being the same, once one is laid over the other.

use super::align::{self, Alignment, moments};
use super::chroma::Chroma;
use super::details::{BandCorrelation, Bands, Parts, share_seen};
use super::distortion::Distortion;
use super::plane::Planes;
use crate::affine::Affine;
use crate::measuring::halved;
use crate::numeric::simd::{F32x8, lanes};
use crate::rect::Region;

/// Samples along each side when colours are compared.
const CHROMA: usize = 16;

/// The share of the samples that must show more than borders.
const LEAST_SHARE: f32 = 0.005;

/// Declares numbers with names, which are also a list in the order of their declaration: what was fitted knows them by
/// their place.
macro_rules! named_numbers {
    ($(#[$of_all:meta])* struct $name:ident, $count:ident { $($(#[$of_one:meta])* $field:ident,)* }) => {
        $(#[$of_all])*
        #[derive(Clone, Copy, Debug, PartialEq)]
        pub struct $name { $($(#[$of_one])* pub $field: f32,)* }

        /// How many numbers [`
        #[doc = stringify!($name)]
        /// `] has.
        pub const $count: usize = [$(stringify!($field)),*].len();

        impl $name {
            /// All numbers, in the order in which they are declared.
            pub fn to_array(self) -> [f32; $count] {
                [$(self.$field),*]
            }
        }
    };
}

named_numbers! {
    /// How two thumbnails fit, one laid over the other. Correlations r are given as `ln(1 - r)`, so that the difference
    /// between .99 and .999 counts as much as that between .9 and .99. `scripts/fit-likeness.py` fits the weights.
    struct Fit, ALIGNMENT_FEATURES {
        /// Correlation of all values.
        whole,
        /// Correlation of the values that fit.
        robust,
        /// Correlation of middle details, of the values that fit.
        middle,
        /// Correlation of fine details.
        fine,
        /// Share of the samples that fit.
        fitting_share,
        /// `ln` of the mean distance over the contrast.
        misfit,
        /// `ln` of the strength of middle details, of the image that has less.
        middle_strength,
        /// The same of fine details.
        fine_strength,
        /// How unlike the strengths of middle details are: `|ln|` of their ratio.
        strength_ratio,
        /// How well the colours fit.
        chroma_fit,
        /// How much colour there is.
        chroma_amount,
        /// How far the colours are apart.
        chroma_distance,
        /// Share of the first that lies on the second.
        overlap,
        /// How strong the gain is: its `|ln|`.
        gain,
        /// How strong the offset is, in hundreds of levels.
        offset,
        /// Correlation of middle details, of all values.
        middle_of_all,
        /// `ln` of the share of samples with details, of the image that has less.
        detailed_share,
        /// By how much angles are changed.
        shear,
        /// By how much sides are changed.
        stretch,
        /// `ln` of the misfit of the worst part over the contrast.
        worst_part_misfit,
        /// Mean correlation of the parts.
        parts_mean,
        /// Least correlation of a part.
        parts_least,
        /// Mean correlation of all parts in which anything at all is to be seen.
        parts_faint,
        /// `ln` of the share of the samples that count.
        counted_share,
        /// Correlation below which a quarter of the parts lie.
        parts_quartile,
        /// Share of parts in which something is to be seen.
        parts_clear,
        /// Correlation of faint details.
        faint,
    }
}

/// What speaks for and against two images being the same, once one is laid over the other.
#[derive(Clone, Copy, Debug)]
pub struct AlignmentFeatures {
    /// How they fit.
    pub fit: Fit,
    /// From the image wanted to the one found, both the square from -0.5 to 0.5.
    pub map: Affine,
    /// In which ways one had to be changed to lie on the other: mirrored or turned by quarters, tilted, cropped or
    /// framed, squeezed. The more, the easier something fits by chance.
    pub ways: [bool; 4],
}

/// A share of a side that counts as no motion.
const STILL: f64 = 0.004;
/// `ln(1 - r)` of images of which one was only saved again: r = 0.997.
const SAVED_AGAIN: f32 = -5.8;

impl AlignmentFeatures {
    /// The correlations of fine details and of faint ones, -1 to 1.
    pub fn texture(&self) -> [f32; 2] {
        [self.fit.fine, self.fit.faint].map(|unlikely| 1.0 - unlikely.exp())
    }

    /// Whether nothing has moved, and the images correlate as they do when one was only saved again.
    pub fn is_still(&self) -> bool {
        self.map.is_near(Affine::IDENTITY, STILL) && self.fit.whole < SAVED_AGAIN
    }
}

/// What is compared, and room for the kernel of it, used again and again.
#[derive(Default)]
pub struct Samples {
    /// The values of the image wanted, row by row.
    pub wanted: Vec<f32>,
    /// Those of the one found at the same places.
    pub found: Vec<f32>,
    /// 1 where these lie on it, 0 elsewhere.
    pub weights: Vec<f32>,
    inside: Vec<f32>,
    chroma: [Vec<f32>; 5],
}

/// Two images, one laid over the other.
pub struct AlignedPair<'a> {
    /// The image that does not move, and the one that was brought to it.
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

impl AlignedPair<'_> {
    /// The evidence on the `side` x `side` samples that lie in `scratch`. None when no copy is ever made
    /// so.
    #[inline(always)]
    pub fn features<E: F32x8>(
        &self,
        side: usize,
        scratch: &mut Samples,
    ) -> Option<AlignmentFeatures> {
        let AlignedPair { view, alignment, .. } = *self;
        let map = view.inverse()?.then(alignment.map);
        let distortion = Distortion::new(&map, self.aspects);
        if !distortion.is_of_a_copy() {
            return None;
        }
        let chroma = self.chroma::<E>(&mut scratch.chroma);
        let Samples { wanted: a, found: b, weights, inside, .. } = scratch;
        // What is clipped in one of both says nothing of the other.
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
        let parts = Parts::new::<E>(a, b, inside, side, whole);
        // The samples that fit well; a mark or a logo is among the others.
        let fitting = keep_fitting::<E>(a, b, weights, (0.3 * contrast).max(4.0));
        let robust = moments::<E>(a, b, weights).correlation();
        let (half_weights, half_inside) = (halved(weights, side), halved(inside, side));
        let bands = [Bands::new(a, side), Bands::new(b, side)];
        let middle = BandCorrelation::new::<E>(&bands[0].middle, &bands[1].middle, &half_weights);
        let [fine, faint] =
            BandCorrelation::all_and_faint::<E>(&bands[0].fine, &bands[1].fine, weights);
        let plain_middle =
            BandCorrelation::new::<E>(&bands[0].middle, &bands[1].middle, &half_inside);
        let seen = share_seen::<E>(&bands[0].middle, &half_inside)
            .min(share_seen::<E>(&bands[1].middle, &half_inside));
        let ratio = |pair: [f32; 2]| ((pair[0] + 0.5) / (pair[1] + 0.5)).ln().abs();
        let unlikely = |value: f32| (1.0 - value.clamp(-1.0, 0.9999)).ln();
        let fit = Fit {
            whole: unlikely(whole),
            robust: unlikely(robust),
            middle: unlikely(middle.correlation),
            fine: unlikely(fine.correlation),
            fitting_share: fitting / weight,
            misfit: (mean_residual / contrast.max(1.0)).max(1e-3).ln(),
            middle_strength: (middle.strengths[0].min(middle.strengths[1]) + 0.5).ln(),
            fine_strength: (fine.strengths[0].min(fine.strengths[1]) + 0.5).ln(),
            strength_ratio: ratio(middle.strengths),
            chroma_fit: chroma.0,
            chroma_amount: chroma.1,
            chroma_distance: chroma.2,
            overlap: alignment.overlap,
            gain: alignment.gain.ln().abs(),
            offset: alignment.offset.abs() / 100.0,
            middle_of_all: unlikely(plain_middle.correlation),
            detailed_share: (seen + 0.01).ln(),
            shear: distortion.shear,
            stretch: distortion.stretch,
            worst_part_misfit: (parts.worst_apart / contrast.max(1.0)).max(1e-3).ln(),
            parts_mean: unlikely(parts.mean),
            parts_least: unlikely(parts.least),
            parts_faint: unlikely(parts.faint),
            counted_share: (weight / (side * side) as f32).ln(),
            parts_quartile: unlikely(parts.quarter),
            parts_clear: parts.clear,
            faint: unlikely(faint.correlation),
        };
        Some(AlignmentFeatures { fit, map, ways: distortion.ways() })
    }

    /// Where both show nothing but their borders, they would agree on these.
    #[inline(always)]
    fn leave_out_borders(&self, side: usize, weights: &mut [f32], scratch: &mut Vec<f32>) {
        if let [Some(first), Some(second)] = &self.contents {
            scratch.clear();
            scratch.resize(weights.len(), 0.0);
            align::add_inside(self.view, first, side, scratch);
            align::add_inside(&self.alignment.map, second, side, scratch);
            weights.iter_mut().zip(scratch).for_each(|(weight, counts)| *weight *= *counts);
        }
    }

    /// How the colours fit, see [`Chroma::fit`].
    #[inline(always)]
    fn chroma<E: F32x8>(&self, scratch: &mut [Vec<f32>; 5]) -> (f32, f32, f32) {
        let [a_blue, a_red, b_blue, b_red, inside] = scratch;
        let ([wanted, found], map) = (self.planes, &self.alignment.map);
        wanted.chroma[0].sample(self.view, CHROMA, a_blue);
        wanted.chroma[1].sample(self.view, CHROMA, a_red);
        found.chroma[0].sample_inside(map, CHROMA, b_blue, inside);
        found.chroma[1].sample(map, CHROMA, b_red);
        Chroma::new::<E>([a_blue, a_red], [b_blue, b_red], inside).fit()
    }
}

/// The weighted sum of the distances of two lists.
#[inline(always)]
fn distance<E: F32x8>(a: &[f32], b: &[f32], weights: &[f32]) -> f32 {
    let mut sum = E::splat(0.0);
    for ((a, b), weight) in lanes(a).iter().zip(lanes(b)).zip(lanes(weights)) {
        sum = sum.plus(E::load(a).minus(E::load(b)).abs().times(E::load(weight)));
    }
    sum.sum()
}

/// Lets samples that are further apart than `level` weigh little; the weight of the others is
/// returned.
#[inline(always)]
fn keep_fitting<E: F32x8>(a: &[f32], b: &[f32], weights: &mut [f32], level: f32) -> f32 {
    let (level, one, mut sum) = (E::splat(level), E::splat(1.0), E::splat(0.0));
    let wide = level.plus(level);
    let lists = lanes(a).iter().zip(lanes(b)).zip(weights.as_chunks_mut().0);
    for ((a, b), weights) in lists {
        let (apart, weight) = (E::load(a).minus(E::load(b)).abs(), E::load(weights));
        sum = sum.plus(weight.times(apart.less_than(level)));
        let ratio = apart.div(wide);
        let term = one.div(one.plus(ratio.times(ratio)));
        weight.times(term).times(term).store(weights);
    }
    sum.sum()
}
