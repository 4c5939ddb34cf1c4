//! A close look: whether two pictures that seem to be the same are so everywhere, at the resolution of their files.
//!
//! A copy has the same lines nearly everywhere, whatever mark lies on it and whatever light falls on it. Another
//! design of the same kind has the same lines in most places, and others, or other colours, in some.

use super::align::{Alignment, Limits, Template, Workspace, align};
use super::blocks::{Blocks, Grid};
use super::details::without_neighbours;
#[cfg(target_arch = "x86_64")]
use super::eight::Register;
use super::eight::{Eight, LANES};
use super::plane::Plane;
use super::tone::{Colours, Tone};
use crate::affine::Affine;
use crate::measuring::{CHROMA, CLOSEUP_PX, Closeup, LUMA, halved};

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
pub struct Features {
    /// The mean correlation of the blocks in which there is something to see.
    pub mean: f32,
    /// Those below which a half and a quarter of these lie, and the mean of the three least.
    pub median: f32,
    /// See `median`.
    pub quarter: f32,
    /// See `median`.
    pub least: f32,
    /// The share of these blocks that fit.
    pub agreeing: f32,
    /// The share that do not.
    pub disagreeing: f32,
    /// The share of all blocks in which there is something to see.
    pub clear: f32,
    /// How far the means of plain blocks are apart, in levels.
    pub plain_apart: f32,
    /// The mean correlation of the fine details of blocks that have any.
    pub detail_mean: f32,
    /// That below which half of these lie.
    pub detail_median: f32,
    /// The share of blocks with fine details.
    pub detailed: f32,
    /// The correlation of all but the part that has most of what both share.
    pub rest: f32,
    /// The standard deviation of what is left then, in levels, in the picture that has less.
    pub rest_contrast: f32,
    /// The mean distance after light is allowed for, over the contrast of both.
    pub residual: f32,
    /// The share of samples that are further apart than the noise and blur of the others explains.
    pub strange: f32,
    /// The greatest such share in one block.
    pub strangest: f32,
    /// How far apart these are beyond that, in the worst block, in levels.
    pub strange_levels: f32,
    /// The noise on plain places, in levels.
    pub noise: f32,
    /// How far apart lines are, over how steep they are.
    pub blur: f32,
    /// What is left of the distance of colours after one tint, in levels.
    pub colour_left: f32,
    /// The same in the worst part.
    pub colour_worst: f32,
    /// The distance of colours as they are.
    pub colour_apart: f32,
    /// The deviation of colours in the picture that has fewer.
    pub colour: f32,
    /// The logarithm of the gain between both, its size.
    pub gain: f32,
    /// How much the curve of levels bends.
    pub bend: f32,
    /// The share of the one that lies on the other.
    pub overlap: f32,
    /// Samples along a side.
    pub side: f32,
}

/// Numbers that a close look weighs.
pub const CLOSE: usize = 27;

impl Features {
    /// Whether all lines are the same, while the colours are apart by more than light, gamma and one tint explain. The
    /// limits lie between what compression and blur do to copies and what another colour of one part does.
    pub fn is_recoloured(&self) -> bool {
        let has_same_lines = self.agreeing >= 0.85
            && self.disagreeing <= 0.05
            && self.least >= 0.4
            && self.detail_median >= 0.9;
        has_same_lines && (self.colour_left >= 2.5 || self.strange >= 0.04)
    }

    /// Whether something was laid over one of two copies: a place is filled with what neither noise nor blur nor light
    /// explains, far beyond what compression leaves anywhere.
    pub fn is_marked(&self) -> bool {
        self.strangest >= 0.6 && self.strange_levels >= 10.0 && self.strange <= 0.2
    }

    /// The numbers as they are weighed: what may run over several powers of ten as logarithms.
    pub fn numbers(&self) -> [f32; CLOSE] {
        let unlikely = |value: f32| (1.0 - value.clamp(-1.0, 0.9995)).ln();
        let levels = |value: f32| (0.25 + value).ln();
        [
            unlikely(self.mean),
            unlikely(self.median),
            unlikely(self.quarter),
            unlikely(self.least),
            self.agreeing,
            self.disagreeing,
            (self.clear + 0.01).ln(),
            levels(self.plain_apart),
            unlikely(self.detail_mean),
            unlikely(self.detail_median),
            (self.detailed + 0.01).ln(),
            unlikely(self.rest),
            levels(self.rest_contrast),
            (self.residual + 0.002).ln(),
            (self.strange + 0.0005).ln(),
            (self.strangest + 0.01).ln(),
            levels(self.strange_levels),
            levels(self.noise),
            (self.blur + 0.01).ln(),
            levels(self.colour_left),
            levels(self.colour_worst),
            levels(self.colour_apart),
            levels(self.colour),
            self.gain,
            self.bend.abs(),
            self.overlap,
            self.side.ln(),
        ]
    }

    /// What the close-ups of two pictures show, where `map` brings the first picture to the second. None when they
    /// slide off each other.
    pub fn of(first: &Closeup, second: &Closeup, map: &Affine) -> Option<Self> {
        let map = first.region.map().then(*map).then(second.region.map().inverse()?);
        #[cfg(target_arch = "x86_64")]
        if is_x86_feature_detected!("avx2") {
            // SAFETY: the processor has what the function was built for.
            return unsafe { Features::in_registers(first, second, map) };
        }
        Features::with::<[f32; LANES]>(first, second, map)
    }

    #[cfg(target_arch = "x86_64")]
    #[target_feature(enable = "avx2")]
    fn in_registers(first: &Closeup, second: &Closeup, map: Affine) -> Option<Self> {
        Features::with::<Register>(first, second, map)
    }

    #[inline(always)]
    fn with<E: Eight>(first: &Closeup, second: &Closeup, map: Affine) -> Option<Self> {
        let size = |map: &Affine| (map.0[0] * map.0[4] - map.0[1] * map.0[3]).abs().sqrt();
        // What shows less is laid over what shows more, so that all of it has something to lie on.
        let (part, whole, map) =
            if size(&map) <= 1.0 { (first, second, map) } else { (second, first, map.inverse()?) };
        let finest = part.finest_px.min((whole.finest_px as f64 * size(&map)) as usize);
        let side = (finest / STEP * STEP).clamp(LEAST, CLOSEUP_PX);
        let planes = [part, whole].map(|closeup| Plane::of_bytes(CLOSEUP_PX, &luma_of(closeup)));
        let halves = planes.each_ref().map(Plane::halved);
        let mut room = Workspace::default();
        let coarse = Template::of::<E>(&halves[0], &Affine::IDENTITY, side / 2);
        let near = align::<E>(&coarse, &halves[1], &map, &COARSELY, &mut room)?;
        let fine = Template::of::<E>(&planes[0], &Affine::IDENTITY, side);
        let exact = align::<E>(&fine, &planes[1], &near.map, &FINELY, &mut room)?;
        let inside = &room.inside;
        let lit = Lit::of([part, whole], &exact, inside, side);
        let [wanted, found] = &lit.luma;
        let smooth = [smoothed(wanted, side), smoothed(found, side)];
        let grid = Grid::of([&smooth[0], &smooth[1]], inside, side);
        let shown = Blocks::of(&grid);
        let details = [without_neighbours(wanted, side), without_neighbours(found, side)];
        let detailed = Blocks::of(&Grid::of_details([&details[0], &details[1]], inside, side));
        let strange = Strange::of(&smooth, inside, side);
        let rest = grid.rest();
        let colours = lit.colours(inside, side);
        Some(Features {
            mean: shown.mean,
            median: shown.median,
            quarter: shown.quarter,
            least: shown.least,
            agreeing: shown.agreeing,
            disagreeing: shown.disagreeing,
            clear: shown.clear,
            plain_apart: shown.apart,
            detail_mean: detailed.mean,
            detail_median: detailed.median,
            detailed: detailed.clear,
            rest: rest.correlation,
            rest_contrast: rest.contrast,
            residual: strange.residual / grid.contrast().max(1.0),
            strange: strange.share,
            strangest: strange.most,
            strange_levels: strange.levels,
            noise: strange.noise,
            blur: strange.blur,
            colour_left: colours.left,
            colour_worst: colours.worst,
            colour_apart: colours.apart,
            colour: colours.strength,
            gain: (lit.tone.terms[1] / 128.0).max(0.01).ln().abs(),
            bend: lit.tone.bend(),
            overlap: exact.overlap,
            side: side as f32,
        })
    }
}

fn luma_of(closeup: &Closeup) -> Vec<u8> {
    let [red, green, blue] = &closeup.rgb;
    let pixels = red.iter().zip(green).zip(blue);
    let luma =
        pixels.map(|((&red, &green), &blue)| weighted([red, green, blue].map(f32::from), LUMA));
    luma.map(|luma| (luma + 0.5) as u8).collect()
}

fn weighted(rgb: [f32; 3], weights: [f32; 3]) -> f32 {
    rgb[0] * weights[0] + rgb[1] * weights[1] + rgb[2] * weights[2]
}

/// Levels of chroma below which a picture is grey.
const GREY_LEVELS: f32 = 2.0;

/// Both pictures in one light: the darker or duller one is lit as the other is, channel by channel, so that it burns out
/// where the other did.
struct Lit {
    luma: [Vec<f32>; 2],
    /// Blue and red chroma of both, around 0; none where one of them is grey.
    chroma: Option<[[Vec<f32>; 2]; 2]>,
    tone: Tone,
}

impl Lit {
    #[inline(always)]
    fn of([part, whole]: [&Closeup; 2], exact: &Alignment, inside: &[f32], side: usize) -> Self {
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
        // Either may be lit as the other; what was burnt out does not come back, so one way fits better.
        let channels = if is_grey { 1 } else { 3 };
        let lists = both.each_ref().map(|rgb| {
            rgb[..channels].iter().flat_map(|plane| every_other(plane, side)).collect::<Vec<f32>>()
        });
        let inside = every_other(inside, side).repeat(channels);
        let line = |dull: usize| match dull {
            0 => Tone::line(1.0 / exact.gain, -exact.offset / exact.gain),
            _ => Tone::line(exact.gain, exact.offset),
        };
        let mut best: Option<(usize, Tone, f32)> = None;
        for dull in [1, 0] {
            for start in [Some(line(dull)), None] {
                let (tone, left) = Tone::fitted(start, &lists[1 - dull], &lists[dull], &inside);
                if best.is_none_or(|(.., least)| left < least) {
                    best = Some((dull, tone, left));
                }
            }
        }
        let (dull, tone, _) = best.expect("four were tried");
        for channel in &mut both[dull] {
            channel.iter_mut().for_each(|value| *value = tone.of(*value).clamp(0.0, 255.0));
        }
        if is_grey {
            return Lit { luma: both.map(|[luma, ..]| luma), chroma: None, tone };
        }
        let luma = both.each_ref().map(|rgb| of_rgb(rgb, LUMA));
        let chroma =
            both.each_ref().map(|rgb| CHROMA.map(|weights| halved(&of_rgb(rgb, weights), side)));
        Lit { luma, chroma: Some(chroma), tone }
    }

    #[inline(always)]
    fn colours(&self, inside: &[f32], side: usize) -> Colours {
        match &self.chroma {
            None => Colours { left: 0.0, worst: 0.0, apart: 0.0, strength: 0.0 },
            Some([[a_blue, a_red], [b_blue, b_red]]) => {
                let inside = halved(inside, side);
                Colours::of([a_blue, a_red], [b_blue, b_red], &inside, side / 2)
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
struct Strange {
    residual: f32,
    share: f32,
    most: f32,
    levels: f32,
    noise: f32,
    blur: f32,
}

/// Levels per sample below which a place is plain, and from which it is a line.
const PLAIN_SLOPE: f32 = 3.0;
const LINE_SLOPE: f32 = 10.0;
/// Levels that nobody sees, and how many times the usual distance is unusual.
const UNSEEN_LEVELS: f32 = 3.0;
const UNUSUAL: f32 = 4.0;
/// Samples along each side of a block.
const BLOCK: usize = LANES;

impl Strange {
    #[inline(always)]
    fn of(smooth: &[Vec<f32>; 2], inside: &[f32], side: usize) -> Self {
        let [a, b] = smooth;
        let mut slopes = vec![0.0f32; a.len()];
        for y in 0..side {
            for x in 0..side {
                let (left, right) = (x.saturating_sub(1), (x + 1).min(side - 1));
                let (above, below) = (y.saturating_sub(1), (y + 1).min(side - 1));
                let steep = |plane: &[f32]| {
                    let across = plane[y * side + right] - plane[y * side + left];
                    let down = plane[below * side + x] - plane[above * side + x];
                    (across.abs() + down.abs()) / 2.0
                };
                slopes[y * side + x] = steep(a).max(steep(b));
            }
        }
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
        let noise = median(&mut on_plain);
        let blur = median(&mut on_lines);
        let (mut share, mut most, mut levels) = (0.0f32, 0.0f32, 0.0f32);
        for block in 0..(side / BLOCK) * (side / BLOCK) {
            let (top, first) = (block / (side / BLOCK) * BLOCK, block % (side / BLOCK) * BLOCK);
            let (mut here, mut beyond) = (0.0f32, 0.0f32);
            for row in top..top + BLOCK {
                for at in row * side + first..row * side + first + BLOCK {
                    let usual = UNSEEN_LEVELS + UNUSUAL * (noise + blur * slopes[at]);
                    let apart = inside[at] * ((a[at] - b[at]).abs() - usual);
                    if apart > 0.0 {
                        (here, beyond) = (here + 1.0, beyond + apart);
                    }
                }
            }
            share += here;
            most = most.max(here / (BLOCK * BLOCK) as f32);
            levels = levels.max(beyond / (BLOCK * BLOCK) as f32);
        }
        let count = count.max(1.0);
        Strange { residual: total / count, share: share / count, most, levels, noise, blur }
    }
}

/// The value in the middle; 0 of none.
fn median(values: &mut [f32]) -> f32 {
    if values.is_empty() {
        return 0.0;
    }
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f32::total_cmp).1
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
