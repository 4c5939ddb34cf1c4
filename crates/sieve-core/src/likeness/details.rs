//! Details: what is left of an image without its coarse shapes, and how parts of two images fit.

use crate::measuring::halved;
use crate::numeric::simd::{F32x8, LANES, add, lanes, totals};

/// Levels from which a detail is seen.
const SEEN_LEVELS: f32 = 4.0;

/// Levels below which a fine detail is no edge.
const FAINT_LEVELS: f32 = 6.0;
/// Variance that is put down to chance, half a level on each value: where there is no detail, there is
/// none to agree on.
const CHANCE: f32 = 0.25;

/// Middle and fine details of a square of samples.
#[derive(Default)]
pub struct Bands {
    /// Of half as many rows and columns.
    pub middle: Vec<f32>,
    /// Of all.
    pub fine: Vec<f32>,
}

impl Bands {
    /// The details of `values`, `side` x `side` samples.
    #[inline(always)]
    pub fn new(values: &[f32], side: usize) -> Self {
        let half = halved(values, side);
        Bands {
            middle: without_neighbours(&half, side / 2),
            fine: without_neighbours(values, side),
        }
    }
}

/// Each value less the mean of the 5 x 5 around it; beyond the edge the nearest value again.
#[inline(always)]
pub fn without_neighbours(values: &[f32], side: usize) -> Vec<f32> {
    let mut across = vec![0.0; values.len()];
    let mut padded = vec![0.0; side + 4];
    for (row, sums) in values.chunks_exact(side).zip(across.chunks_exact_mut(side)) {
        padded[..2].fill(row[0]);
        padded[2..side + 2].copy_from_slice(row);
        padded[side + 2..].fill(row[side - 1]);
        add_five(std::array::from_fn(|at| &padded[at..][..side]), sums);
    }
    let mut details = vec![0.0; values.len()];
    for (y, details) in details.chunks_exact_mut(side).enumerate() {
        let row = |d: usize| &across[(y + d).saturating_sub(2).min(side - 1) * side..][..side];
        add_five(std::array::from_fn(row), details);
        for (detail, here) in details.iter_mut().zip(&values[y * side..]) {
            *detail = here - *detail / 25.0;
        }
    }
    details
}

/// The sums of five lists. Walked side by side: processors add many at a time then.
#[inline(always)]
fn add_five([a, b, c, d, e]: [&[f32]; 5], sums: &mut [f32]) {
    let lists = a.iter().zip(b).zip(c).zip(d).zip(e);
    for (sum, ((((a, b), c), d), e)) in sums.iter_mut().zip(lists) {
        *sum = a + b + c + d + e;
    }
}

/// How two lists of details go together.
pub struct BandCorrelation {
    /// Their correlation, -1 to 1: both vary around zero.
    pub correlation: f32,
    /// How strong each is: the root of the mean square, in levels.
    pub strengths: [f32; 2],
}

impl BandCorrelation {
    /// Of all of `a` and `b`, as they are weighted.
    #[inline(always)]
    pub fn new<E: F32x8>(a: &[f32], b: &[f32], weights: &[f32]) -> Self {
        let mut sums = [E::splat(0.0); 4];
        for ((a, b), weight) in lanes(a).iter().zip(lanes(b)).zip(lanes(weights)) {
            add_products(&mut sums, E::load(a), E::load(b), E::load(weight));
        }
        BandCorrelation::from_sums(sums)
    }

    /// Of all, and of those that are faint in both: grain and texture that go together make it sure that an image is
    /// the same, while plain paint has none and correlates by 0.
    #[inline(always)]
    pub fn all_and_faint<E: F32x8>(a: &[f32], b: &[f32], weights: &[f32]) -> [Self; 2] {
        let (mut all, mut faint) = ([E::splat(0.0); 4], [E::splat(0.0); 4]);
        let most = E::splat(FAINT_LEVELS);
        for ((a, b), weight) in lanes(a).iter().zip(lanes(b)).zip(lanes(weights)) {
            let (a, b, weight) = (E::load(a), E::load(b), E::load(weight));
            let are_faint = weight.times(a.abs().less_than(most)).times(b.abs().less_than(most));
            add_products(&mut all, a, b, weight);
            add_products(&mut faint, a, b, are_faint);
        }
        [BandCorrelation::from_sums(all), BandCorrelation::from_sums(faint)]
    }

    #[inline(always)]
    fn from_sums<E: F32x8>(sums: [E; 4]) -> Self {
        let [aa, bb, ab, weight] = totals(sums);
        let floor = CHANCE * weight;
        let correlation = ab / ((aa + floor) * (bb + floor)).sqrt().max(f32::MIN_POSITIVE);
        let strength = |sum: f32| (sum / weight.max(1.0)).sqrt();
        BandCorrelation { correlation, strengths: [strength(aa), strength(bb)] }
    }
}

#[inline(always)]
fn add_products<E: F32x8>(sums: &mut [E; 4], a: E, b: E, weight: E) {
    let weighted = weight.times(a);
    add(sums, [weighted.times(a), weight.times(b).times(b), weighted.times(b), weight]);
}

/// The share of samples whose detail is seen, 0 to 1.
#[inline(always)]
pub fn share_seen<E: F32x8>(details: &[f32], weights: &[f32]) -> f32 {
    let (mut unseen, mut all) = (E::splat(0.0), E::splat(0.0));
    for (detail, weight) in lanes(details).iter().zip(lanes(weights)) {
        let weight = E::load(weight);
        // As much as that is seen.
        let is_unseen = E::load(detail).abs().less_than(E::splat(SEEN_LEVELS));
        unseen = unseen.plus(weight.times(is_unseen));
        all = all.plus(weight);
    }
    let all = all.sum();
    (all - unseen.sum()) / all.max(1.0)
}

/// Blocks along each side, and parts, which are two by two blocks.
const BLOCKS: usize = 8;
const PARTS: usize = BLOCKS / 2;
/// Samples along each side at most.
const MOST_SIDE: usize = 48;
/// The variances, in square levels, that make a part of an image worth comparing on its own, and the
/// variances that are then put down to chance: where there is something to see, and anything at all.
const WORTH: [(f32, f32); 2] = [(16.0, 4.0), (2.0, 1.0)];

/// Weighted sums over a part of two images.
#[derive(Clone, Copy, Default)]
struct Sums {
    weight: f32,
    a: f32,
    b: f32,
    aa: f32,
    bb: f32,
    ab: f32,
    apart: f32,
}

impl Sums {
    #[inline(always)]
    fn plus(self, other: Sums) -> Self {
        Sums {
            weight: self.weight + other.weight,
            a: self.a + other.a,
            b: self.b + other.b,
            aa: self.aa + other.aa,
            bb: self.bb + other.bb,
            ab: self.ab + other.ab,
            apart: self.apart + other.apart,
        }
    }
}

/// How the parts of two images fit: a mark leaves all parts but one as they are, another drawing of
/// the same kind has no part that fits really well.
pub struct Parts {
    /// The greatest mean distance of an eighth by an eighth of the image, in levels.
    pub worst_apart: f32,
    /// The mean correlation of the quarters by quarters in which there is something to see, -1 to 1.
    pub mean: f32,
    /// The least of these.
    pub least: f32,
    /// The one below which a quarter of these lie.
    pub quarter: f32,
    /// The share of the parts in which there is something to see, 0 to 1.
    pub clear: f32,
    /// The mean correlation of those in which there is anything at all.
    pub faint: f32,
}

impl Parts {
    /// Of `side` x `side` samples of both, `side` a multiple of 8; `whole` is the correlation of all, which
    /// stands for parts where there is nothing to see.
    #[inline(always)]
    pub fn new<E: F32x8>(a: &[f32], b: &[f32], weights: &[f32], side: usize, whole: f32) -> Self {
        let cell = side / BLOCKS;
        let mut blocks = [[Sums::default(); BLOCKS]; BLOCKS];
        for (band, blocks) in blocks.iter_mut().enumerate() {
            let mut columns = [[[0.0f32; LANES]; MOST_SIDE / LANES]; 7];
            for row in band * cell..(band + 1) * cell {
                let [a, b, weights] = [a, b, weights].map(|list| &list[row * side..][..side]);
                let lists = lanes(a).iter().zip(lanes(b)).zip(lanes(weights));
                for (at, ((a, b), weight)) in lists.enumerate() {
                    let middle = E::splat(128.0);
                    let (a, b) = (E::load(a).minus(middle), E::load(b).minus(middle));
                    let weight = E::load(weight);
                    let (wa, wb) = (weight.times(a), weight.times(b));
                    let apart = weight.times(a.minus(b).abs());
                    let terms = [weight, wa, wb, wa.times(a), wb.times(b), wa.times(b), apart];
                    for (column, term) in columns.iter_mut().zip(terms) {
                        let column = &mut column[at];
                        E::load(column).plus(term).store(column);
                    }
                }
            }
            for (at, block) in blocks.iter_mut().enumerate() {
                let mut sums = [0.0; 7];
                for (sum, column) in sums.iter_mut().zip(&columns) {
                    for value in &column.as_flattened()[at * cell..(at + 1) * cell] {
                        *sum += value;
                    }
                }
                let [weight, a, b, aa, bb, ab, apart] = sums;
                *block = Sums { weight, a, b, aa, bb, ab, apart };
            }
        }
        let full = (cell * cell) as f32;
        let mut worst_apart = 0.0f32;
        for block in blocks.iter().flatten().filter(|block| block.weight > 0.5 * full) {
            worst_apart = worst_apart.max(block.apart / block.weight);
        }
        let (mut sums, mut counts) = ([0.0; 2], [0.0f32; 2]);
        let mut clear = [1.0f32; PARTS * PARTS];
        for rows in blocks.as_chunks::<2>().0 {
            for (upper, lower) in rows[0].as_chunks::<2>().0.iter().zip(rows[1].as_chunks::<2>().0)
            {
                let part = upper[0].plus(upper[1]).plus(lower[0]).plus(lower[1]);
                if part.weight < full {
                    continue;
                }
                let within = |sum: f32, a: f32, b: f32| (sum - a * b / part.weight) / part.weight;
                let aa = within(part.aa, part.a, part.a).max(0.0);
                let bb = within(part.bb, part.b, part.b).max(0.0);
                let ab = within(part.ab, part.a, part.b);
                for (at, (worth, chance)) in WORTH.into_iter().enumerate() {
                    if aa.max(bb) > worth {
                        let correlation = ab / ((aa + chance) * (bb + chance)).sqrt();
                        if at == 0 {
                            clear[counts[0] as usize] = correlation;
                        }
                        (sums[at], counts[at]) = (sums[at] + correlation, counts[at] + 1.0);
                    }
                }
            }
        }
        let mean = |at: usize| if counts[at] == 0.0 { whole } else { sums[at] / counts[at] };
        let clear = &mut clear[..counts[0] as usize];
        clear.sort_unstable_by(f32::total_cmp);
        let at = |place: usize| clear.get(place).copied().unwrap_or(whole);
        Parts {
            worst_apart,
            mean: mean(0),
            least: at(0),
            quarter: at(clear.len() / 4),
            clear: clear.len() as f32 / (PARTS * PARTS) as f32,
            faint: mean(1),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SIDE: usize = 16;

    fn levels() -> impl Strategy<Value = Vec<f32>> {
        prop::collection::vec(0.0f32..255.0, SIDE * SIDE)
    }

    /// Correlation of the two in a square of samples, both with `chance` added to their variance.
    fn of_square(
        a: &[f32],
        b: &[f32],
        from: (usize, usize),
        side: usize,
        chance: f64,
    ) -> (f64, f64) {
        let at: Vec<usize> =
            (0..side * side).map(|at| (from.1 + at / side) * SIDE + from.0 + at % side).collect();
        let mean = |v: &[f32]| at.iter().map(|&i| f64::from(v[i])).sum::<f64>() / at.len() as f64;
        let (m, n) = (mean(a), mean(b));
        let with = |v: &[f32], m: f64, w: &[f32], n: f64| {
            let terms = at.iter().map(|&i| (f64::from(v[i]) - m) * (f64::from(w[i]) - n));
            terms.sum::<f64>() / at.len() as f64
        };
        let (aa, bb, ab) = (with(a, m, a, m), with(b, n, b, n), with(a, m, b, n));
        (ab / ((aa + chance) * (bb + chance)).sqrt(), aa.max(bb))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]

        #[test]
        fn parts_fit_as_each_does_on_its_own(a in levels(), noise in levels(), share in 0.0f32..1.0) {
            let b: Vec<f32> = a.iter().zip(&noise).map(|(a, n)| a * (1.0 - share) + n * share).collect();
            let parts = Parts::new::<[f32; 8]>(&a, &b, &[1.0; SIDE * SIDE], SIDE, 0.5);
            let squares: Vec<(usize, usize)> =
                (0..16).map(|at| (at % 4 * 4, at / 4 * 4)).collect();
            let slow = |chance: f64| -> Vec<f64> {
                squares.iter().map(|&from| of_square(&a, &b, from, 4, chance).0).collect()
            };
            let mean = |values: &[f64]| values.iter().sum::<f64>() / values.len() as f64;
            let (clear, faint) = (slow(4.0), slow(1.0));
            prop_assert!((f64::from(parts.mean) - mean(&clear)).abs() < 1e-3);
            prop_assert!((f64::from(parts.faint) - mean(&faint)).abs() < 1e-3);
            let least = clear.iter().fold(1.0f64, |least, value| least.min(*value));
            prop_assert!((f64::from(parts.least) - least).abs() < 1e-3);
            let mut sorted = clear.clone();
            sorted.sort_by(f64::total_cmp);
            prop_assert!((f64::from(parts.quarter) - sorted[4]).abs() < 1e-3);
            prop_assert_eq!(parts.clear, 1.0);
            let apart = |x: usize, y: usize| (0..4).map(|at| (y + at / 2) * SIDE + x + at % 2)
                .map(|at| (a[at] - b[at]).abs()).sum::<f32>() / 4.0;
            let worst = (0..64).map(|at| apart(at % 8 * 2, at / 8 * 2)).fold(0.0, f32::max);
            prop_assert!((parts.worst_apart - worst).abs() < 1e-2);
        }

        #[test]
        fn details_are_what_differs_from_the_five_by_five_around(values in levels()) {
            let details = Bands::new(&values, SIDE).fine;
            for (x, y) in [(0, 0), (1, 7), (8, 8), (15, 3), (15, 15)] {
                let near = |at: usize, by: usize| (at + by).saturating_sub(2).min(SIDE - 1);
                let sum: f32 = (0..25).map(|at| values[near(y, at / 5) * SIDE + near(x, at % 5)]).sum();
                prop_assert!((details[y * SIDE + x] - (values[y * SIDE + x] - sum / 25.0)).abs() < 1e-3);
            }
        }
    }

    #[test]
    fn grain_goes_together_where_it_is_the_same_and_edges_do_not_count() {
        let grain = |phase: usize| -> Vec<f32> {
            (0..256)
                .map(|at| ((at * 7 + phase * 31) * 2654435761 % 97) as f32 / 24.0 - 2.0)
                .collect()
        };
        let faint = |a: &[f32], b: &[f32], weights: &[f32]| {
            let [_, faint] = BandCorrelation::all_and_faint::<[f32; 8]>(a, b, weights);
            faint.correlation
        };
        let mut first = grain(0);
        let all = [1.0; 256];
        let same = faint(&first, &grain(0), &all);
        let other = faint(&first, &grain(5), &all);
        assert!(same > 0.8 && other.abs() < 0.2, "{same} {other}");
        // An edge in one of them, and paint without grain.
        first[100] = 90.0;
        assert!((faint(&first, &grain(0), &all) - same).abs() < 0.02);
        assert!(faint(&[0.01; 256], &[0.01; 256], &all) < 0.01);
    }

    #[test]
    fn where_there_is_nothing_to_see_the_whole_stands_for_parts() {
        let plain = Parts::new::<[f32; 8]>(&[9.0; 256], &[9.5; 256], &[1.0; 256], SIDE, 0.25);
        assert_eq!(
            [plain.mean, plain.least, plain.faint, plain.quarter, plain.worst_apart, plain.clear],
            [0.25, 0.25, 0.25, 0.25, 0.5, 0.0]
        );
        assert_eq!(share_seen::<[f32; 8]>(&[5.0; 8], &[1.0; 8]), 1.0);
        assert_eq!(share_seen::<[f32; 8]>(&[5.0; 8], &[0.0; 8]), 0.0);
    }
}
