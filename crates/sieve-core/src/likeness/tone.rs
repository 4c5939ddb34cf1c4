//! What light, exposure, gamma and a tint make of an image, so that only the rest counts as a difference.

use crate::numeric::simd::{F32x8, Kernel, LANES, add, lanes, totals};

/// Levels of residual from which a sample hardly counts in a fit.
const APART_LEVELS: f32 = 12.0;
/// How often samples are weighed again by how they fit.
const ROUNDS: usize = 3;
/// Levels below which an image is black and from which it is white.
const CLIPPED: [f32; 2] = [2.0, 253.0];

/// A curve of levels: a quadratic, which gain, offset and the gammas that people choose are to a few levels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tone {
    /// Of 1, `x` and `x * x`, where `x` is the level less 128, over 128.
    pub terms: [f32; 3],
}

/// Levels as numbers around 0.
#[inline(always)]
fn centred<E: F32x8>(levels: E) -> E {
    levels.minus(E::splat(128.0)).times(E::splat(1.0 / 128.0))
}

impl Tone {
    /// The straight line `gain` times the level plus `offset`.
    pub fn line(gain: f32, offset: f32) -> Self {
        Tone { terms: [128.0 * gain + offset, 128.0 * gain, 0.0] }
    }

    /// The levels that this makes of `levels`.
    #[inline(always)]
    pub fn lit<E: F32x8>(&self, levels: E) -> E {
        let x = centred(levels);
        let [level, slope, bend] = self.terms;
        E::splat(level).plus(x.times(E::splat(slope).plus(x.times(E::splat(bend)))))
    }

    /// The curve that brings `found` nearest to `wanted` where `inside` is not 0, and the mean distance that is left. What
    /// lies far off counts little: a mark is no light; and what is clipped, or black, in both counts nothing. Begins at
    /// `start`, or where all that is neither white nor black in `wanted` says: on white ground a brighter copy seems to be
    /// in the same light. The lists are equally long, a multiple of eight.
    pub fn fitted<E: F32x8>(
        start: Option<Tone>,
        wanted: &[f32],
        found: &[f32],
        inside: &[f32],
    ) -> (Self, f32) {
        E::dispatch(Fitting { start, wanted, found, inside })
    }

    /// Whether lighter stays lighter, from black to white.
    fn rises(&self) -> bool {
        let [_, slope, bend] = self.terms;
        slope - 2.0 * bend.abs() > 0.0
    }

    /// The logarithm of the gain between both images, its size.
    pub fn gain(&self) -> f32 {
        (self.terms[1] / 128.0).max(0.01).ln().abs()
    }

    /// How far from a straight line, as a share of the slope.
    pub fn bend(&self) -> f32 {
        self.terms[2] / self.terms[1].max(1.0)
    }
}

/// A curve that is looked for, see [`Tone::fitted`].
struct Fitting<'a> {
    start: Option<Tone>,
    wanted: &'a [f32],
    found: &'a [f32],
    inside: &'a [f32],
}

impl Kernel for Fitting<'_> {
    type Out = (Tone, f32);

    #[inline(always)]
    fn run<E: F32x8>(self) -> (Tone, f32) {
        let mut tone = self.start;
        for _ in 0..ROUNDS {
            let sums = match tone {
                Some(tone) => self.weighed_by::<E>(&tone),
                None => self.between::<E>(),
            };
            let next = solved(&sums).map(|terms| Tone { terms });
            match next.filter(Tone::rises) {
                Some(next) => tone = Some(next),
                None => break,
            }
        }
        let tone = tone.unwrap_or(Tone::line(1.0, 0.0));
        (tone, self.left::<E>(&tone))
    }
}

impl Fitting<'_> {
    /// The sums of all that `wanted` shows neither black nor white.
    #[inline(always)]
    fn between<E: F32x8>(&self) -> [f32; 8] {
        let (black, white) = (E::splat(CLIPPED[0]), E::splat(CLIPPED[1]));
        self.sums::<E>(|wanted, _| wanted.less_than(white).minus(wanted.less_than(black)))
    }

    /// The sums of all, each sample weighed by how near `tone` brings it.
    #[inline(always)]
    fn weighed_by<E: F32x8>(&self, tone: &Tone) -> [f32; 8] {
        let (black, white, one) = (E::splat(CLIPPED[0]), E::splat(CLIPPED[1]), E::splat(1.0));
        let scale = E::splat(1.0 / APART_LEVELS);
        self.sums::<E>(|wanted, found| {
            let lit = tone.lit(found);
            let apart = wanted.minus(lit).times(scale);
            let term = one.div(one.plus(apart.times(apart)));
            // Black in both, or neither below white: nothing is known of how much so.
            let dark = wanted.less_than(black).times(lit.less_than(black));
            let bright = one.minus(wanted.less_than(white)).times(one.minus(lit.less_than(white)));
            term.times(term).times(one.minus(dark).minus(bright))
        })
    }

    /// Sums over all samples of 1, `x` to `x^4`, and of `wanted` times 1, `x` and `x^2`, each weighted.
    #[inline(always)]
    fn sums<E: F32x8>(&self, weight: impl Fn(E, E) -> E) -> [f32; 8] {
        let mut sums = [E::splat(0.0); 8];
        let lists = lanes(self.wanted).iter().zip(lanes(self.found)).zip(lanes(self.inside));
        for ((wanted, found), inside) in lists {
            let (wanted, found) = (E::load(wanted), E::load(found));
            let weight = E::load(inside).times(weight(wanted, found));
            let x = centred(found);
            let (wx, wy) = (weight.times(x), weight.times(wanted));
            let (wxx, wxy) = (wx.times(x), wx.times(wanted));
            let terms =
                [weight, wx, wxx, wxx.times(x), wxx.times(x).times(x), wy, wxy, wxy.times(x)];
            add(&mut sums, terms);
        }
        totals(sums)
    }

    /// The mean distance that `tone` leaves.
    #[inline(always)]
    fn left<E: F32x8>(&self, tone: &Tone) -> f32 {
        let (mut apart, mut count) = (E::splat(0.0), E::splat(0.0));
        let (black, white) = (E::splat(0.0), E::splat(255.0));
        let lists = lanes(self.wanted).iter().zip(lanes(self.found)).zip(lanes(self.inside));
        for ((wanted, found), inside) in lists {
            let inside = E::load(inside);
            let lit = tone.lit(E::load(found)).min(white).max(black);
            apart = apart.plus(inside.times(E::load(wanted).minus(lit).abs()));
            count = count.plus(inside);
        }
        apart.sum() / count.sum().max(1.0)
    }
}

/// Least squares of three terms; a little is added to the diagonal, as images of two levels settle no curve.
fn solved(sums: &[f32; 8]) -> Option<[f32; 3]> {
    let [n, x, xx, xxx, xxxx, y, xy, xxy] = sums.map(f64::from);
    let little = 1e-4 * n + 1e-9;
    let m = [[n + little, x, xx], [x, xx + little, xxx], [xx, xxx, xxxx + 10.0 * little]];
    let right = [y, xy, xxy];
    let determinant = |m: &[[f64; 3]; 3]| {
        m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1])
            - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0])
            + m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0])
    };
    let whole = determinant(&m);
    if whole.abs() < 1e-12 {
        return None;
    }
    Some(std::array::from_fn(|column| {
        let mut replaced = m;
        for row in 0..3 {
            replaced[row][column] = right[row];
        }
        (determinant(&replaced) / whole) as f32
    }))
}

/// How far the colours of two images are apart once one tint and one strength of colour are allowed for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Colours {
    /// The mean distance that is left, in levels of chroma.
    pub left: f32,
    /// The greatest mean of a part of four by four samples.
    pub worst: f32,
    /// The mean distance with no allowance.
    pub apart: f32,
    /// The standard deviation of chroma in the image that has less of it, in levels.
    pub strength: f32,
}

/// Samples along the sides of the parts that are looked at one by one.
const PART: usize = 4;

impl Colours {
    /// Of `side` x `side` samples of blue and red chroma of two images, `side` a multiple of eight, where `inside`
    /// is not 0. Either may be a tinted and fainter copy of the other: the way that leaves less is taken.
    #[inline(always)]
    pub fn new<E: F32x8>(a: [&[f32]; 2], b: [&[f32]; 2], inside: &[f32], side: usize) -> Self {
        let one = E::dispatch(Tinting { a, b, inside, side });
        let other = E::dispatch(Tinting { a: b, b: a, inside, side });
        let better = if one.left <= other.left { one } else { other };
        Colours { strength: one.strength.min(other.strength), ..better }
    }
}

/// How far `a` is from `b` with the strength and the tint that bring it nearest.
struct Tinting<'a> {
    a: [&'a [f32]; 2],
    b: [&'a [f32]; 2],
    inside: &'a [f32],
    side: usize,
}

impl Kernel for Tinting<'_> {
    type Out = Colours;

    #[inline(always)]
    fn run<E: F32x8>(self) -> Colours {
        let (mut strength, mut tint) = (1.0f32, [0.0f32; 2]);
        let mut varies = 0.0;
        for round in 0..ROUNDS {
            let [n, u, v, x, y, bb, ab, aa] =
                self.sums::<E>((round > 0).then_some((strength, tint)));
            let n = n.max(1.0);
            let within = (bb - (u * u + v * v) / n) / n;
            if round == 0 {
                varies = ((aa - (x * x + y * y) / n) / n).max(0.0).sqrt();
            }
            let with = (ab - (u * x + v * y) / n) / n;
            // A level of chance: grey images settle no strength.
            strength = (with / (within + 1.0)).clamp(0.0, 4.0);
            tint = [(x - strength * u) / n, (y - strength * v) / n];
        }
        let ([left, worst], [apart, _]) =
            (self.distances::<E>(strength, tint), self.distances::<E>(1.0, [0.0; 2]));
        Colours { left, worst, apart, strength: varies }
    }
}

impl Tinting<'_> {
    /// Eight samples of both chromas of both images, and what of them lies on both.
    #[inline(always)]
    fn simd<E: F32x8>(&self, at: usize) -> ([E; 2], [E; 2], E) {
        let load = |list: &[f32]| E::load(&lanes(list)[at]);
        let ([x, y], [u, v]) = (self.a, self.b);
        ([load(x), load(y)], [load(u), load(v)], load(self.inside))
    }

    /// Sums over all samples of 1, the chromas of `b` and of `a`, and of the products of `b` with itself, of both and of
    /// `a` with itself; each sample weighed by how near `light` brings it.
    #[inline(always)]
    fn sums<E: F32x8>(&self, light: Option<(f32, [f32; 2])>) -> [f32; 8] {
        let (one, scale) = (E::splat(1.0), E::splat(1.0 / (APART_LEVELS * APART_LEVELS)));
        let mut sums = [E::splat(0.0); 8];
        for at in 0..lanes(self.inside).len() {
            let ([x, y], [u, v], mut weight) = self.simd::<E>(at);
            if let Some((strength, [blue, red])) = light {
                let strength = E::splat(strength);
                let apart = x.minus(strength.times(u)).minus(E::splat(blue));
                let aside = y.minus(strength.times(v)).minus(E::splat(red));
                let square = apart.times(apart).plus(aside.times(aside));
                let far = one.plus(square.times(scale));
                weight = weight.div(far.times(far));
            }
            let products = |a: E, b: E, c: E, d: E| weight.times(a.times(b).plus(c.times(d)));
            let [wu, wv] = [weight.times(u), weight.times(v)];
            let [wx, wy] = [weight.times(x), weight.times(y)];
            let squares = [products(u, u, v, v), products(u, x, v, y), products(x, x, y, y)];
            let [bb, ab, aa] = squares;
            add(&mut sums, [weight, wu, wv, wx, wy, bb, ab, aa]);
        }
        totals(sums)
    }

    /// The mean distance in that light, and the greatest mean of a part.
    #[inline(always)]
    fn distances<E: F32x8>(&self, strength: f32, [blue, red]: [f32; 2]) -> [f32; 2] {
        let (strength, blue, red) = (E::splat(strength), E::splat(blue), E::splat(red));
        let mut far = vec![0.0; self.inside.len()];
        for (at, into) in far.as_chunks_mut::<LANES>().0.iter_mut().enumerate() {
            let ([x, y], [u, v], weight) = self.simd::<E>(at);
            let apart = x.minus(strength.times(u)).minus(blue);
            let aside = y.minus(strength.times(v)).minus(red);
            weight.times(apart.times(apart).plus(aside.times(aside)).sqrt()).store(into);
        }
        let side = self.side;
        let (mut left, mut count, mut worst) = (0.0f32, 0.0f32, 0.0f32);
        for part in 0..(side / PART) * (side / PART) {
            let (top, first) = (part / (side / PART) * PART, part % (side / PART) * PART);
            let (mut here, mut inner) = (0.0f32, 0.0f32);
            for row in top..top + PART {
                let line = row * side + first..row * side + first + PART;
                here += far[line.clone()].iter().sum::<f32>();
                inner += self.inside[line].iter().sum::<f32>();
            }
            (left, count) = (left + here, count + inner);
            if inner >= (PART * PART / 2) as f32 {
                worst = worst.max(here / inner);
            }
        }
        [left / count.max(1.0), worst]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn one_light_explains_a_brighter_and_a_duller_copy(
            levels in prop::collection::vec(0u8..=255, 256), gain in 0.5f32..2.0, offset in -30.0f32..30.0,
            ground in 0usize..160,
        ) {
            // On white ground, which stays white in both.
            let mut image: Vec<f32> = levels.into_iter().map(f32::from).collect();
            image[..ground].fill(255.0);
            let lit: Vec<f32> =
                image.iter().map(|level| (level * gain + offset).clamp(0.0, 255.0)).collect();
            let inside = [1.0; 256];
            let start = Some(Tone::line(1.0, 0.0));
            let left = [start, None].map(|start| Tone::fitted::<[f32; 8]>(start, &lit, &image, &inside).1);
            prop_assert!(left[0].min(left[1]) < 4.0, "{left:?}");
        }

        #[test]
        fn one_tint_and_a_weaker_colour_are_no_other_colour(
            blue in prop::collection::vec(-60.0f32..60.0, 64), red in prop::collection::vec(-60.0f32..60.0, 64),
            strength in 0.3f32..1.0, tint in prop::array::uniform2(-20.0f32..20.0),
        ) {
            let changed = |plane: &[f32], by: f32| -> Vec<f32> {
                plane.iter().map(|level| level * strength + by).collect()
            };
            let (u, v) = (changed(&blue, tint[0]), changed(&red, tint[1]));
            let inside = [1.0; 64];
            let same = Colours::new::<[f32; 8]>([&blue, &red], [&u, &v], &inside, 8);
            prop_assert!(same.left < 0.5 && same.worst < 1.0, "{same:?}");
            // Of another colour in one part only that part is left, and most of it.
            let mut part = v.clone();
            for at in (0..4).flat_map(|row| row * 8..row * 8 + 4) {
                part[at] += 60.0;
            }
            let other = Colours::new::<[f32; 8]>([&blue, &red], [&u, &part], &inside, 8);
            prop_assert!(other.worst > 20.0 && other.left < other.worst / 2.0, "{other:?}");
        }
    }
}
