//! The sums of weighted least squares.

use crate::numeric::simd::{F32x8, LANES, lanes};

/// What is solved for: six numbers of the motion, the gain and the offset.
pub const UNKNOWNS: usize = 8;

/// The sums of least squares: the lower half of a symmetric matrix, and the right side.
pub type Sums = ([[f32; UNKNOWNS]; UNKNOWNS], [f32; UNKNOWNS]);

/// The list of samples of each unknown but the offset, which all samples share alike.
pub type Columns<'a> = [&'a [f32]; UNKNOWNS - 1];

/// The sums over all samples of the products of each two columns, and of each column and `values`. The lists
/// are equally long, a multiple of eight.
#[inline(always)]
pub fn sums<E: F32x8>(columns: &Columns<'_>, values: &[f32], weights: &[f32]) -> Sums {
    let (lists, values, weights) = (columns.map(lanes), lanes(values), lanes(weights));
    // So that no place needs to be checked.
    let count = lists.iter().fold(values.len().min(weights.len()), |least, l| least.min(l.len()));
    let lists = lists.map(|list| &list[..count]);
    let rest = [&values[..count], &weights[..count]];
    let mut sums = ([[0.0; UNKNOWNS]; UNKNOWNS], [0.0; UNKNOWNS]);
    row::<E, 0>(&lists, rest, &mut sums);
    row::<E, 1>(&lists, rest, &mut sums);
    row::<E, 2>(&lists, rest, &mut sums);
    row::<E, 3>(&lists, rest, &mut sums);
    row::<E, 4>(&lists, rest, &mut sums);
    row::<E, 5>(&lists, rest, &mut sums);
    row::<E, 6>(&lists, rest, &mut sums);
    row::<E, 7>(&lists, rest, &mut sums);
    sums
}

/// One row of the sums; the column after the last is all ones.
#[inline(always)]
fn row<E: F32x8, const ROW: usize>(
    lists: &[&[[f32; LANES]]; UNKNOWNS - 1],
    [values, weights]: [&[[f32; LANES]]; 2],
    (normal, right): &mut Sums,
) {
    let (mut sums, mut last) = ([E::splat(0.0); UNKNOWNS], E::splat(0.0));
    for at in 0..weights.len() {
        let weight = E::load(&weights[at]);
        let weighted =
            if ROW < lists.len() { weight.times(E::load(&lists[ROW][at])) } else { weight };
        for (sum, list) in sums.iter_mut().zip(lists).take(ROW + 1) {
            *sum = sum.plus(weighted.times(E::load(&list[at])));
        }
        if ROW == lists.len() {
            sums[ROW] = sums[ROW].plus(weight);
        }
        last = last.plus(weighted.times(E::load(&values[at])));
    }
    for (into, sum) in normal[ROW].iter_mut().zip(sums).take(ROW + 1) {
        *into = sum.sum();
    }
    right[ROW] = last.sum();
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]

        #[test]
        fn sums_are_those_of_one_sample_after_the_other(
            numbers in prop::collection::vec(prop::collection::vec(-9.0f32..9.0, 24), 9),
        ) {
            let columns: Columns<'_> = std::array::from_fn(|at| numbers[at].as_slice());
            let (values, weights) = (&numbers[7], &numbers[8]);
            let (normal, right) = sums::<[f32; LANES]>(&columns, values, weights);
            let of = |at: usize, sample: usize| columns.get(at).map_or(1.0, |list| f64::from(list[sample]));
            for first in 0..UNKNOWNS {
                let sum = |other: &dyn Fn(usize) -> f64| -> f64 {
                    (0..24).map(|s| f64::from(weights[s]) * of(first, s) * other(s)).sum()
                };
                prop_assert!((f64::from(right[first]) - sum(&|s| f64::from(values[s]))).abs() < 0.05);
                for (second, found) in normal[first].iter().enumerate().take(first + 1) {
                    let slow = sum(&|s| of(second, s));
                    prop_assert!((f64::from(*found) - slow).abs() < 0.05);
                }
            }
        }
    }
}
