//! What light, exposure, gamma and a tint make of a picture, so that only the rest counts as a difference.

/// Levels of residual from which a sample hardly counts in a fit.
const APART_LEVELS: f32 = 12.0;
/// How often samples are weighed again by how they fit.
const ROUNDS: usize = 3;
/// Levels below which a picture is black and from which it is white.
const BURNT: [f32; 2] = [2.0, 253.0];

/// A curve of levels: a quadratic, which gain, offset and the gammas that people choose are to a few levels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tone {
    /// Of 1, `x` and `x * x`, where `x` is the level less 128, over 128.
    pub terms: [f32; 3],
}

/// A level as a number around 0.
#[inline(always)]
fn centred(level: f32) -> f32 {
    (level - 128.0) / 128.0
}

impl Tone {
    /// The straight line `gain` times the level plus `offset`.
    pub fn line(gain: f32, offset: f32) -> Self {
        Tone { terms: [128.0 * gain + offset, 128.0 * gain, 0.0] }
    }

    /// The level that this makes of `level`.
    #[inline(always)]
    pub fn of(&self, level: f32) -> f32 {
        let x = centred(level);
        self.terms[0] + x * (self.terms[1] + x * self.terms[2])
    }

    /// The curve that brings `found` nearest to `wanted` where `inside` is not 0, and the mean distance that is left. What
    /// lies far off counts little: a mark is no light; and what is burnt out, or black, in both counts nothing. Begins at
    /// `start`, or where all that is neither white nor black in `wanted` says: on white ground a brighter copy seems to be
    /// in the same light.
    #[inline(always)]
    pub fn fitted(
        start: Option<Tone>,
        wanted: &[f32],
        found: &[f32],
        inside: &[f32],
    ) -> (Self, f32) {
        let mut tone = start;
        for _ in 0..ROUNDS {
            let mut sums = [0.0f64; 8];
            for ((&wanted, &found), &inside) in wanted.iter().zip(found).zip(inside) {
                let mut weight = inside;
                match tone {
                    None if !(BURNT[0]..BURNT[1]).contains(&wanted) => weight = 0.0,
                    None => {}
                    Some(tone) => {
                        let lit = tone.of(found);
                        let apart = (wanted - lit) / APART_LEVELS;
                        let term = 1.0 / (1.0 + apart * apart);
                        weight *= term * term;
                        let is_burnt = wanted >= BURNT[1] && lit >= BURNT[1];
                        if is_burnt || wanted < BURNT[0] && lit < BURNT[0] {
                            weight = 0.0;
                        }
                    }
                }
                let weight = f64::from(weight);
                let (x, y) = (f64::from(centred(found)), f64::from(wanted));
                let square = x * x;
                sums[0] += weight;
                sums[1] += weight * x;
                sums[2] += weight * square;
                sums[3] += weight * square * x;
                sums[4] += weight * square * square;
                sums[5] += weight * y;
                sums[6] += weight * y * x;
                sums[7] += weight * y * square;
            }
            let next = solved(&sums).map(|terms| Tone { terms });
            match next.filter(Tone::rises) {
                Some(next) => tone = Some(next),
                None => break,
            }
        }
        let tone = tone.unwrap_or(Tone::line(1.0, 0.0));
        let (mut apart, mut count) = (0.0f32, 0.0f32);
        for ((&wanted, &found), &inside) in wanted.iter().zip(found).zip(inside) {
            apart += inside * (wanted - tone.of(found).clamp(0.0, 255.0)).abs();
            count += inside;
        }
        (tone, apart / count.max(1.0))
    }

    /// Whether lighter stays lighter, from black to white.
    fn rises(&self) -> bool {
        let [_, slope, bend] = self.terms;
        slope - 2.0 * bend.abs() > 0.0
    }

    /// How far from a straight line, as a share of the slope.
    pub fn bend(&self) -> f32 {
        self.terms[2] / self.terms[1].max(1.0)
    }
}

/// Least squares of three terms; a little is added to the diagonal, as pictures of two levels settle no curve.
fn solved(sums: &[f64; 8]) -> Option<[f32; 3]> {
    let [n, x, xx, xxx, xxxx, y, xy, xxy] = *sums;
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

/// How far the colours of two pictures are apart once one tint and one strength of colour are allowed for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Colours {
    /// The mean distance that is left, in levels of chroma.
    pub left: f32,
    /// The greatest mean of a part of four by four samples.
    pub worst: f32,
    /// The mean distance with no allowance.
    pub apart: f32,
    /// The standard deviation of chroma in the picture that has less of it, in levels.
    pub strength: f32,
}

/// Samples along the sides of the parts that are looked at one by one.
const PART: usize = 4;

impl Colours {
    /// Of `side` x `side` samples of blue and red chroma of two pictures, `side` a multiple of four, where `inside`
    /// is not 0. Either may be a tinted and fainter copy of the other: the way that leaves less is taken.
    #[inline(always)]
    pub fn of(a: [&[f32]; 2], b: [&[f32]; 2], inside: &[f32], side: usize) -> Self {
        let one = tinted(a, b, inside, side);
        let other = tinted(b, a, inside, side);
        let better = if one.left <= other.left { one } else { other };
        Colours { strength: one.strength.min(other.strength), ..better }
    }
}

/// How far `a` is from `b` with the strength and the tint that bring it nearest.
#[inline(always)]
fn tinted(a: [&[f32]; 2], b: [&[f32]; 2], inside: &[f32], side: usize) -> Colours {
    let (mut strength, mut tint) = (1.0f32, [0.0f32; 2]);
    let mut varies = 0.0;
    for round in 0..ROUNDS {
        let mut sums = [0.0f32; 8];
        for at in 0..inside.len() {
            let mut weight = inside[at];
            if round > 0 {
                let apart = |k: usize| a[k][at] - strength * b[k][at] - tint[k];
                let far = apart(0).hypot(apart(1)) / APART_LEVELS;
                weight /= (1.0 + far * far) * (1.0 + far * far);
            }
            let (u, v, x, y) = (b[0][at], b[1][at], a[0][at], a[1][at]);
            let terms = [1.0, u, v, x, y, u * u + v * v, u * x + v * y, x * x + y * y];
            sums.iter_mut().zip(terms).for_each(|(sum, term)| *sum += weight * term);
        }
        let [n, u, v, x, y, bb, ab, aa] = sums;
        let n = n.max(1.0);
        let within = (bb - (u * u + v * v) / n) / n;
        if round == 0 {
            varies = ((aa - (x * x + y * y) / n) / n).max(0.0).sqrt();
        }
        let with = (ab - (u * x + v * y) / n) / n;
        // A level of chance: grey pictures settle no strength.
        strength = (with / (within + 1.0)).clamp(0.0, 4.0);
        tint = [(x - strength * u) / n, (y - strength * v) / n];
    }
    let (mut left, mut apart, mut count, mut worst) = (0.0f32, 0.0f32, 0.0f32, 0.0f32);
    for part in 0..(side / PART) * (side / PART) {
        let (top, first) = (part / (side / PART) * PART, part % (side / PART) * PART);
        let (mut here, mut inner) = (0.0f32, 0.0f32);
        for row in top..top + PART {
            for at in row * side + first..row * side + first + PART {
                let far = |k: usize| a[k][at] - strength * b[k][at] - tint[k];
                let weight = inside[at];
                here += weight * far(0).hypot(far(1));
                apart += weight * (a[0][at] - b[0][at]).hypot(a[1][at] - b[1][at]);
                inner += weight;
            }
        }
        (left, count) = (left + here, count + inner);
        if inner >= (PART * PART / 2) as f32 {
            worst = worst.max(here / inner);
        }
    }
    let count = count.max(1.0);
    Colours { left: left / count, worst, apart: apart / count, strength: varies }
}
