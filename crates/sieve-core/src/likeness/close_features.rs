//! A close look: whether two images that seem to be the same are so everywhere, at the resolution of their files.
//!
//! A copy has the same lines nearly everywhere, whatever mark lies on it and whatever light falls on it. Another
//! design of the same kind has the same lines in most places, and others, or other colours, in some.

use super::align::{AlignScratch, Alignment, Limits, Template, align};
use super::blocks::{Blocks, Grid, Rest};
use super::details::without_neighbours;
use super::plane::Plane;
use super::tone::{Colours, Tone};
use crate::affine::Affine;
use crate::measuring::{CHROMA, CLOSEUP_PX, Closeup, LUMA, halved};
use crate::numeric::simd::{F32x8, Kernel, LANES, run};
use crate::statistics::upper_median;

/// Samples along each side: at least, and what their number is a multiple of.
const LEAST: usize = 48;
const STEP: usize = 16;

/// Nothing is given up for a bad fit: how it fits is what is asked.
const COARSELY: Limits =
    Limits { steps: 4, early: [9.0; 4], misfit: 9.0, overlap: 0.5, settled: 2e-3 };
const FINELY: Limits =
    Limits { steps: 3, early: [9.0; 4], misfit: 9.0, overlap: 0.5, settled: 1e-3 };

/// What a close look sees. Correlations are -1 to 1, shares 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CloseFeatures {
    /// How the blocks of both fit.
    pub shown: Blocks,
    /// The same of their fine details.
    pub details: Blocks,
    /// What is left without the patch that has most of what both share.
    pub rest: Rest,
    /// What is further apart than noise and blur explain.
    pub strange: Anomaly,
    /// The mean distance after light is allowed for, over the contrast of both.
    pub residual: f32,
    /// How far colours are apart.
    pub colours: Colours,
    /// The light that one was brought into.
    pub tone: Tone,
    /// The share of the one that lies on the other.
    pub overlap: f32,
    /// Samples along a side.
    pub side: usize,
}

/// Numbers that a close look weighs.
pub const CLOSE_FEATURES: usize = 27;

impl CloseFeatures {
    /// Whether all lines are the same, while the colours are apart by more than light, gamma and one tint explain. The
    /// limits lie between what compression and blur do to copies and what another colour of one part does.
    pub fn is_recoloured(&self) -> bool {
        let has_same_lines = self.shown.agreeing >= 0.85
            && self.shown.disagreeing <= 0.05
            && self.shown.least >= 0.4
            && self.details.median >= 0.9;
        has_same_lines && (self.colours.left >= 2.5 || self.strange.share >= 0.04)
    }

    /// Whether something was laid over one of two copies: a place is filled with what neither noise nor blur nor light
    /// explains, far beyond what compression leaves anywhere.
    pub fn is_marked(&self) -> bool {
        self.strange.most >= 0.6 && self.strange.levels >= 10.0 && self.strange.share <= 0.2
    }

    /// The numbers as they are weighed: what may run over several powers of ten as logarithms.
    pub fn to_array(&self) -> [f32; CLOSE_FEATURES] {
        let unlikely = |value: f32| (1.0 - value.clamp(-1.0, 0.9995)).ln();
        let levels = |value: f32| (0.25 + value).ln();
        [
            unlikely(self.shown.mean),
            unlikely(self.shown.median),
            unlikely(self.shown.quarter),
            unlikely(self.shown.least),
            self.shown.agreeing,
            self.shown.disagreeing,
            (self.shown.clear + 0.01).ln(),
            levels(self.shown.apart),
            unlikely(self.details.mean),
            unlikely(self.details.median),
            (self.details.clear + 0.01).ln(),
            unlikely(self.rest.correlation),
            levels(self.rest.contrast),
            (self.residual + 0.002).ln(),
            (self.strange.share + 0.0005).ln(),
            (self.strange.most + 0.01).ln(),
            levels(self.strange.levels),
            levels(self.strange.noise),
            (self.strange.blur + 0.01).ln(),
            levels(self.colours.left),
            levels(self.colours.worst),
            levels(self.colours.apart),
            levels(self.colours.strength),
            self.tone.gain(),
            self.tone.bend().abs(),
            self.overlap,
            (self.side as f32).ln(),
        ]
    }

    /// What the close-ups of two images show, where `map` brings the first image to the second. None when they
    /// slide off each other.
    pub fn new(first: &Closeup, second: &Closeup, map: &Affine) -> Option<Self> {
        let map = first.region.map().then(*map).then(second.region.map().inverse()?);
        run(Close { first, second, map })
    }
}

/// Two close-ups, and what brings the first to the second.
struct Close<'a> {
    first: &'a Closeup,
    second: &'a Closeup,
    map: Affine,
}

impl Kernel for Close<'_> {
    type Out = Option<CloseFeatures>;

    #[inline(always)]
    fn run<E: F32x8>(self) -> Option<CloseFeatures> {
        let Close { first, second, map } = self;
        let size = |map: &Affine| (map.0[0] * map.0[4] - map.0[1] * map.0[3]).abs().sqrt();
        // What shows less is laid over what shows more, so that all of it has something to lie on.
        let (part, whole, map) =
            if size(&map) <= 1.0 { (first, second, map) } else { (second, first, map.inverse()?) };
        let finest = part.finest_px.min((whole.finest_px as f64 * size(&map)) as usize);
        let side = (finest / STEP * STEP).clamp(LEAST, CLOSEUP_PX);
        let planes = [part, whole].map(|closeup| Plane::of_bytes(CLOSEUP_PX, &closeup.luma));
        let halves = planes.each_ref().map(Plane::halved);
        let mut scratch = AlignScratch::default();
        let coarse = Template::new::<E>(&halves[0], &Affine::IDENTITY, side / 2);
        let near = align::<E>(&coarse, &halves[1], &map, &COARSELY, &mut scratch)?;
        let fine = Template::new::<E>(&planes[0], &Affine::IDENTITY, side);
        let exact = align::<E>(&fine, &planes[1], &near.map, &FINELY, &mut scratch)?;
        let inside = &scratch.inside;
        let matched = ToneMatched::new::<E>([part, whole], &exact, inside, side);
        let [wanted, found] = &matched.luma;
        let smooth = [smoothed(wanted, side), smoothed(found, side)];
        let grid = Grid::new([&smooth[0], &smooth[1]], inside, side);
        let details = [without_neighbours(wanted, side), without_neighbours(found, side)];
        let (strange, apart) = Anomaly::new(&smooth, inside, side);
        Some(CloseFeatures {
            shown: Blocks::new(&grid),
            details: Blocks::new(&Grid::of_details([&details[0], &details[1]], inside, side)),
            rest: grid.rest(),
            strange,
            residual: apart / grid.contrast().max(1.0),
            colours: matched.colours::<E>(inside, side),
            tone: matched.tone,
            overlap: exact.overlap,
            side,
        })
    }
}

fn weighted(rgb: [f32; 3], weights: [f32; 3]) -> f32 {
    rgb[0] * weights[0] + rgb[1] * weights[1] + rgb[2] * weights[2]
}

/// Levels of chroma below which an image is grey.
const GREY_LEVELS: f32 = 2.0;

/// Both images in one light: the darker or duller one is matched as the other is, channel by channel, so that it burns out
/// where the other did.
struct ToneMatched {
    luma: [Vec<f32>; 2],
    /// Blue and red chroma of both, around 0; none where one of them is grey.
    chroma: Option<[[Vec<f32>; 2]; 2]>,
    tone: Tone,
}

impl ToneMatched {
    #[inline(always)]
    fn new<E: F32x8>(
        [part, whole]: [&Closeup; 2],
        exact: &Alignment,
        inside: &[f32],
        side: usize,
    ) -> Self {
        let sampled = |closeup: &Closeup, map: &Affine| -> [Vec<f32>; 3] {
            closeup.rgb.each_ref().map(|bytes| {
                let mut values = Vec::new();
                Plane::of_bytes(CLOSEUP_PX, bytes).sample(map, side, &mut values);
                values
            })
        };
        let mut both = [sampled(part, &Affine::IDENTITY), sampled(whole, &exact.map)];
        let is_grey = both.iter().any(|rgb| {
            let apart = rgb[0]
                .iter()
                .zip(&rgb[1])
                .zip(&rgb[2])
                .map(|((red, green), blue)| (red - green).abs().max((green - blue).abs()));
            apart.sum::<f32>() < GREY_LEVELS * (side * side) as f32
        });
        if is_grey {
            for rgb in &mut both {
                let luma: Vec<f32> = of_rgb(rgb, LUMA);
                *rgb = [luma, Vec::new(), Vec::new()];
            }
        }
        // Either may be matched as the other; what was clipped does not come back, so one way fits better.
        let channels = if is_grey { 1 } else { 3 };
        let lists = both.each_ref().map(|rgb| {
            rgb[..channels].iter().flat_map(|plane| every_other(plane, side)).collect::<Vec<f32>>()
        });
        let inside = every_other(inside, side).repeat(channels);
        let line = |darker: usize| match darker {
            0 => Tone::line(1.0 / exact.gain, -exact.offset / exact.gain),
            _ => Tone::line(exact.gain, exact.offset),
        };
        let mut best: Option<(usize, Tone, f32)> = None;
        for darker in [1, 0] {
            for start in [Some(line(darker)), None] {
                let (tone, left) =
                    Tone::fitted::<E>(start, &lists[1 - darker], &lists[darker], &inside);
                if best.is_none_or(|(.., least)| left < least) {
                    best = Some((darker, tone, left));
                }
            }
        }
        let (darker, tone, _) = best.expect("four were tried");
        let (black, white) = (E::splat(0.0), E::splat(255.0));
        for channel in &mut both[darker] {
            for values in channel.as_chunks_mut::<LANES>().0 {
                tone.lit(E::load(values)).min(white).max(black).store(values);
            }
        }
        if is_grey {
            return ToneMatched { luma: both.map(|[luma, ..]| luma), chroma: None, tone };
        }
        let luma = both.each_ref().map(|rgb| of_rgb(rgb, LUMA));
        let chroma =
            both.each_ref().map(|rgb| CHROMA.map(|weights| halved(&of_rgb(rgb, weights), side)));
        ToneMatched { luma, chroma: Some(chroma), tone }
    }

    #[inline(always)]
    fn colours<E: F32x8>(&self, inside: &[f32], side: usize) -> Colours {
        match &self.chroma {
            None => Colours { left: 0.0, worst: 0.0, apart: 0.0, strength: 0.0 },
            Some([[a_blue, a_red], [b_blue, b_red]]) => {
                let inside = halved(inside, side);
                Colours::new::<E>([a_blue, a_red], [b_blue, b_red], &inside, side / 2)
            }
        }
    }
}

/// Every other sample of every other row.
fn every_other(plane: &[f32], side: usize) -> Vec<f32> {
    plane.chunks_exact(side).step_by(2).flat_map(|row| row.iter().step_by(2).copied()).collect()
}

/// The weighted sum of three planes.
#[inline(always)]
fn of_rgb([red, green, blue]: &[Vec<f32>; 3], weights: [f32; 3]) -> Vec<f32> {
    let pixels = red.iter().zip(green).zip(blue);
    pixels.map(|((&red, &green), &blue)| weighted([red, green, blue], weights)).collect()
}

/// What is further apart than the noise and the blur of all the rest explains.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Anomaly {
    /// The share of samples that are.
    pub share: f32,
    /// The greatest such share in one block.
    pub most: f32,
    /// How far apart these are beyond that, in the worst block, in levels.
    pub levels: f32,
    /// The noise on plain places, in levels.
    pub noise: f32,
    /// How far apart lines are, over how steep they are.
    pub blur: f32,
}

/// Levels per sample below which a place is plain, and from which it is a line.
const PLAIN_SLOPE: f32 = 3.0;
const LINE_SLOPE: f32 = 10.0;
/// Levels that nobody sees, and how many times the usual distance is unusual.
const UNSEEN_LEVELS: f32 = 3.0;
const UNUSUAL: f32 = 4.0;
/// Samples along each side of a block.
const BLOCK: usize = LANES;

impl Anomaly {
    /// Of two images of `side` x `side` samples where `inside` is not 0; and how far apart all samples are in the
    /// mean, in levels.
    #[inline(always)]
    fn new([a, b]: &[Vec<f32>; 2], inside: &[f32], side: usize) -> (Self, f32) {
        let slopes = slopes([a, b], side);
        let (mut on_plain, mut on_lines) = (Vec::new(), Vec::new());
        let (mut total, mut count) = (0.0f32, 0.0f32);
        for at in 0..a.len() {
            if inside[at] == 0.0 {
                continue;
            }
            let apart = (a[at] - b[at]).abs();
            (total, count) = (total + apart, count + 1.0);
            if slopes[at] < PLAIN_SLOPE {
                on_plain.push(apart);
            } else if slopes[at] > LINE_SLOPE {
                on_lines.push(apart / slopes[at]);
            }
        }
        let noise = upper_median(&mut on_plain).unwrap_or(0.0);
        let blur = upper_median(&mut on_lines).unwrap_or(0.0);
        let (mut share, mut most, mut levels) = (0.0f32, 0.0f32, 0.0f32);
        for block in 0..(side / BLOCK) * (side / BLOCK) {
            let (top, first) = (block / (side / BLOCK) * BLOCK, block % (side / BLOCK) * BLOCK);
            let (mut here, mut beyond) = ([0.0f32; BLOCK], [0.0f32; BLOCK]);
            for row in top..top + BLOCK {
                let line = row * side + first..row * side + first + BLOCK;
                let [a, b, inside, slopes] =
                    [a, b, inside, &slopes].map(|list| &list[line.clone()]);
                for lane in 0..BLOCK {
                    let usual = UNSEEN_LEVELS + UNUSUAL * (noise + blur * slopes[lane]);
                    let apart = inside[lane] * ((a[lane] - b[lane]).abs() - usual);
                    here[lane] += if apart > 0.0 { 1.0 } else { 0.0 };
                    beyond[lane] += if apart > 0.0 { apart } else { 0.0 };
                }
            }
            let [here, beyond] = [here, beyond].map(|lanes| lanes.iter().sum::<f32>());
            share += here;
            most = most.max(here / (BLOCK * BLOCK) as f32);
            levels = levels.max(beyond / (BLOCK * BLOCK) as f32);
        }
        let count = count.max(1.0);
        (Anomaly { share: share / count, most, levels, noise, blur }, total / count)
    }
}

/// How steep the steeper of two images is at each sample, in levels a sample.
#[inline(always)]
fn slopes([a, b]: [&[f32]; 2], side: usize) -> Vec<f32> {
    let mut slopes = vec![0.0f32; a.len()];
    let mut across = [vec![0.0f32; side], vec![0.0f32; side]];
    for (y, into) in slopes.chunks_exact_mut(side).enumerate() {
        let (above, below) = (y.saturating_sub(1), (y + 1).min(side - 1));
        for (plane, across) in [a, b].into_iter().zip(&mut across) {
            let row = &plane[y * side..][..side];
            across[0] = row[1] - row[0];
            across[side - 1] = row[side - 1] - row[side - 2];
            for (slope, three) in across[1..].iter_mut().zip(row.windows(3)) {
                *slope = three[2] - three[0];
            }
            let (above, below) = (&plane[above * side..][..side], &plane[below * side..][..side]);
            for (slope, (above, below)) in across.iter_mut().zip(above.iter().zip(below)) {
                *slope = (slope.abs() + (below - above).abs()) / 2.0;
            }
        }
        let [one, other] = &across;
        for (into, (one, other)) in into.iter_mut().zip(one.iter().zip(other)) {
            *into = if one > other { *one } else { *other };
        }
    }
    slopes
}

/// Each value in the mean of the nine around it, the middle counting most: noise and compression change single
/// samples.
#[inline(always)]
fn smoothed(values: &[f32], side: usize) -> Vec<f32> {
    let mut across = vec![0.0; values.len()];
    for (row, into) in values.chunks_exact(side).zip(across.chunks_exact_mut(side)) {
        into[0] = (row[0] * 3.0 + row[1]) / 4.0;
        into[side - 1] = (row[side - 1] * 3.0 + row[side - 2]) / 4.0;
        for (into, three) in into[1..].iter_mut().zip(row.windows(3)) {
            *into = (three[0] + 2.0 * three[1] + three[2]) / 4.0;
        }
    }
    let mut smooth = vec![0.0; values.len()];
    for (y, into) in smooth.chunks_exact_mut(side).enumerate() {
        let row = |y: usize| &across[y * side..][..side];
        let (above, here, below) = (row(y.saturating_sub(1)), row(y), row((y + 1).min(side - 1)));
        for (into, ((a, b), c)) in into.iter_mut().zip(above.iter().zip(here).zip(below)) {
            *into = (a + 2.0 * b + c) / 4.0;
        }
    }
    smooth
}
