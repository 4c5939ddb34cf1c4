//! Comparing two images: one is laid over the other, coarsely first, and looked at closely only while
//! it may be the same.

use super::align::{AlignScratch, Limits, Template, align};
use super::alignment_features::{AlignedPair, AlignmentFeatures, Samples};
use super::verdict::is_promising;
use super::view::{ImagePyramid, Turn, View};
use crate::affine::Affine;
use crate::numeric::simd::{F32x8, Kernel, run};

/// Samples along each side: while the right place is looked for, when it is made exact, and when the
/// two are compared there.
const COARSE: usize = 16;
const FINE: usize = 24;
const DETAIL: usize = 48;
/// When it is given up: of the pairs that a close look is sure of at most 0.1 % fit worse, and a third of
/// all others do, most of them after one step.
const COARSELY: Limits =
    Limits { steps: 8, early: [0.54, 0.43, 0.40, 0.40], misfit: 0.38, overlap: 0.6, settled: 4e-3 };
const FINELY: Limits =
    Limits { steps: 4, early: [9.0, 9.0, 9.0, 0.42], misfit: 0.42, overlap: 0.6, settled: 2e-3 };

/// The part of the image wanted that is compared.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Start {
    /// From the square to the image wanted: what is laid over the other.
    pub view: Affine,
    /// From the square to the image found: where it may lie.
    pub map: Affine,
    /// What is compared in the end; the view itself where that is all.
    pub whole: Affine,
    /// Whether the border of the image wanted is painted over.
    pub is_content: bool,
}

impl Start {
    /// The view that was looked for, and where what was found lies on its image.
    pub fn from_view(view: &View, map: Affine) -> Self {
        Start { view: view.map, map, whole: view.whole, is_content: view.is_content }
    }

    /// The whole image wanted, where `map` brings it.
    pub fn along(map: Affine) -> Self {
        Start { view: Affine::IDENTITY, map, whole: Affine::IDENTITY, is_content: false }
    }

    /// Whether the border is painted over, and where the image wanted lies on the one found, or the other
    /// way when it is not `forward`. None where that cannot be told.
    pub fn way(&self, forward: bool) -> Option<(bool, Affine)> {
        let map = self.view.inverse()?.then(self.map);
        Some((self.is_content, if forward { map } else { map.inverse()? }))
    }

    /// Both images whole, each turned into its normal position.
    pub fn whole(wanted: Turn, found: Turn) -> Self {
        let view = wanted.map();
        Start { view, map: found.map(), whole: Affine::IDENTITY, is_content: false }
    }
}

/// Room for the kernel of one comparison, used again and again.
#[derive(Default)]
pub struct Scratch {
    kernel: AlignScratch,
    samples: Samples,
}

/// What was seen at a glance, on coarse samples, and on a close look.
pub type ComparisonResult = [AlignmentFeatures; 2];

/// Lays `wanted` over `found`. None when nothing fits, or a glance shows that they are not the same.
pub fn compare(
    wanted: &ImagePyramid,
    found: &ImagePyramid,
    start: &Start,
    scratch: &mut Scratch,
) -> Option<AlignmentFeatures> {
    run(Comparison { wanted, found, start, at_a_glance: true, scratch }).map(|[_, close]| close)
}

/// The same without stopping at a glance, for fitting what a glance says.
pub fn compare_closely(
    wanted: &ImagePyramid,
    found: &ImagePyramid,
    start: &Start,
    scratch: &mut Scratch,
) -> Option<ComparisonResult> {
    run(Comparison { wanted, found, start, at_a_glance: false, scratch })
}

/// What is laid over what, from where on, and whether a glance may end it.
struct Comparison<'a> {
    wanted: &'a ImagePyramid,
    found: &'a ImagePyramid,
    start: &'a Start,
    at_a_glance: bool,
    scratch: &'a mut Scratch,
}

impl Kernel for Comparison<'_> {
    type Out = Option<ComparisonResult>;

    #[inline(always)]
    fn run<E: F32x8>(self) -> Option<ComparisonResult> {
        let Comparison { wanted, found, start, at_a_glance, scratch } = self;
        let planes = wanted.planes(start.is_content);
        let Scratch { kernel, samples } = scratch;
        let coarse = Template::new::<E>(&planes.half, &start.view, COARSE);
        let second = align::<E>(&coarse, &found.all.half, &start.map, &COARSELY, kernel)?;
        samples.wanted.clone_from(&coarse.values);
        samples.found.clone_from(&kernel.sampled);
        samples.weights.clone_from(&kernel.inside);
        let aspects = [wanted.aspect, found.aspect];
        let pair = [planes, &found.all];
        // A border that was painted over is content like all else.
        let contents = [wanted.content.filter(|_| !start.is_content), found.content];
        let laid =
            AlignedPair { planes: pair, view: &start.view, alignment: &second, aspects, contents };
        let glance = laid.features::<E>(COARSE, samples)?;
        if at_a_glance && !is_promising(&glance) {
            return None;
        }
        let map = start.whole.then(start.view.inverse()?).then(second.map);
        let lumas = [planes.luma(), found.all.luma()];
        let fine = Template::new::<E>(&lumas[0], &start.whole, FINE);
        let third = align::<E>(&fine, &lumas[1], &map, &FINELY, kernel)?;
        lumas[0].sample(&start.whole, DETAIL, &mut samples.wanted);
        let Samples { found: b, weights, .. } = samples;
        lumas[1].sample_inside(&third.map, DETAIL, b, weights);
        let laid =
            AlignedPair { planes: pair, view: &start.whole, alignment: &third, aspects, contents };
        let close = laid.features::<E>(DETAIL, samples)?;
        Some([glance, close])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::likeness::{index_views, query_views};
    use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
    use proptest::prelude::*;

    /// An image of coarse waves with some grain.
    fn waves(lengths: [f64; 4], grain: f64) -> ImagePyramid {
        let luma = (0..LUMA_PX * LUMA_PX).map(|at| {
            let (x, y) = ((at % LUMA_PX) as f64, (at / LUMA_PX) as f64);
            let [a, b, c, d] = lengths;
            let sum = (x / a + y / b).sin() + (x / c - y / d).cos();
            let noise = ((at as u64 * 2654435761 % 1009) as f64 / 1009.0 - 0.5) * grain;
            (128.0 + 45.0 * sum + noise).clamp(0.0, 255.0) as u8
        });
        let bytes = luma.chain([128; 2 * CHROMA_PX * CHROMA_PX]).collect();
        ImagePyramid::new(Thumbnail(bytes), 1.0, 1.0)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn two_wholes_find_each_other_in_one_way(
            ways in any::<[[bool; 3]; 2]>(), lengths in prop::array::uniform4(2.0f64..9.0),
        ) {
            let turn = |[flip_x, flip_y, transpose]: [bool; 3]| Turn { flip_x, flip_y, transpose };
            let (here, there) = (turn(ways[0]), turn(ways[1]));
            let (there_on_here, here_on_there) = (Start::whole(there, here), Start::whole(here, there));
            let (forward, back) =
                (here_on_there.way(true).unwrap(), there_on_here.way(false).unwrap());
            prop_assert!(forward.1.0.iter().zip(back.1.0).all(|(a, b)| (a - b).abs() < 1e-9));
            // And either start leads to the same: that each lies on the other as it stands.
            let (a, b) = (waves(lengths, 0.0), waves(lengths, 6.0));
            let mut scratch = Scratch::default();
            let start = Start::whole(here, here);
            for (wanted, found) in [(&a, &b), (&b, &a)] {
                let looked = compare_closely(wanted, found, &start, &mut scratch);
                let map = looked.map(|[_, close]| close.map.0).unwrap_or_default();
                let off = map.iter().zip(Affine::IDENTITY.0).any(|(a, b)| (a - b).abs() > 0.02);
                prop_assert!(!off, "{map:?}");
            }
        }

        #[test]
        fn a_glance_never_finds_what_a_close_look_does_not(
            first in prop::array::uniform4(2.0f64..9.0), second in prop::array::uniform4(2.0f64..9.0),
        ) {
            let (a, b, mut scratch) = (waves(first, 2.0), waves(second, 2.0), Scratch::default());
            for (view, other) in query_views(&a).iter().zip(index_views(&b)) {
                let start = Start::from_view(view, other.map);
                let glanced = compare(&a, &b, &start, &mut scratch);
                let close_comparison = compare_closely(&a, &b, &start, &mut scratch);
                let same = |x: &AlignmentFeatures, y: &AlignmentFeatures| x.fit == y.fit && x.map == y.map;
                match (glanced, close_comparison) {
                    (Some(one), Some([_, close])) => prop_assert!(same(&one, &close)),
                    (Some(_), None) => prop_assert!(false, "only at a glance"),
                    (None, Some([glance, _])) => prop_assert!(!is_promising(&glance)),
                    (None, None) => {}
                }
            }
        }
    }
}
