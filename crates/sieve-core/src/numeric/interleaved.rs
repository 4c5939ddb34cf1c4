//! Rows of a table laid out so that some are compared with eight at a time: searches for neighbours take all pairs.

use super::simd::{F32x8, Kernel, LANES, run};
use super::table::Table;

/// Rows that are compared with the others at a time: what is loaded for one serves all, and their sums do not wait for each
/// other.
pub const AT_ONCE: usize = 4;
/// Eights whose distances are known before they are looked at: they stay in the fastest memory.
const BATCH: usize = 64;

/// Some rows of a table: eight side by side, number by number.
#[derive(Clone, Debug, Default)]
pub struct Interleaved {
    width: usize,
    rows: usize,
    /// For each eight of rows, for each number, the numbers of those rows. Rows that are missing in the last eight are
    /// infinitely far.
    values: Vec<[f32; LANES]>,
}

impl Interleaved {
    /// These rows of `table`.
    pub fn of(table: &Table, rows: impl IntoIterator<Item = usize>) -> Self {
        Interleaved::of_rows(rows.into_iter().map(|at| table.row(at)))
    }

    /// Rows of one length.
    pub fn of_rows<R: AsRef<[f32]>>(rows: impl IntoIterator<Item = R>) -> Self {
        let mut all = Interleaved::default();
        for row in rows {
            let row = row.as_ref();
            all.width = row.len();
            let lane = all.rows % LANES;
            if lane == 0 {
                all.values.resize(all.values.len() + all.width, [f32::INFINITY; LANES]);
            }
            let eight = all.rows / LANES * all.width;
            let into = &mut all.values[eight..][..all.width];
            into.iter_mut().zip(row).for_each(|(into, &value)| into[lane] = value);
            all.rows += 1;
        }
        all
    }

    /// The squares of the distances between each of `wanted` and all rows, some at a time and in order: `each` gets the place
    /// in `wanted`, that of the first row, and the distances of the rows from there. At most [`AT_ONCE`] are wanted.
    pub fn distances(&self, wanted: &[&[f32]], mut each: impl FnMut(usize, usize, &[f32])) {
        let Some(&last) = wanted.last() else { return };
        let wanted_rows = std::array::from_fn(|at| wanted.get(at).copied().unwrap_or(last));
        let mut squared = [[[0.0f32; LANES]; BATCH]; AT_ONCE];
        let batches = self.values.chunks((BATCH * self.width).max(1));
        for (batch, eights) in batches.enumerate() {
            run(Distances { wanted: wanted_rows, width: self.width, eights, into: &mut squared });
            let first = batch * BATCH * LANES;
            let count = (self.rows - first).min(BATCH * LANES);
            for (at, squared) in squared.iter().enumerate().take(wanted.len()) {
                each(at, first, &squared.as_flattened()[..count]);
            }
        }
    }
}

/// The squared distances of [`AT_ONCE`] rows to some eights.
struct Distances<'a> {
    wanted: [&'a [f32]; AT_ONCE],
    width: usize,
    eights: &'a [[f32; LANES]],
    into: &'a mut [[[f32; LANES]; BATCH]; AT_ONCE],
}

impl Kernel for Distances<'_> {
    type Out = ();

    #[inline(always)]
    fn run<E: F32x8>(self) {
        let [a, b, c, d] = self.wanted.map(|row| &row[..self.width]);
        for (at, eight) in self.eights.chunks_exact(self.width).enumerate() {
            let mut sums = [E::splat(0.0); AT_ONCE];
            for number in 0..self.width {
                let other = E::load(&eight[number]);
                let off = [
                    E::splat(a[number]).minus(other),
                    E::splat(b[number]).minus(other),
                    E::splat(c[number]).minus(other),
                    E::splat(d[number]).minus(other),
                ];
                sums = [
                    sums[0].plus(off[0].times(off[0])),
                    sums[1].plus(off[1].times(off[1])),
                    sums[2].plus(off[2].times(off[2])),
                    sums[3].plus(off[3].times(off[3])),
                ];
            }
            sums[0].store(&mut self.into[0][at]);
            sums[1].store(&mut self.into[1][at]);
            sums[2].store(&mut self.into[2][at]);
            sums[3].store(&mut self.into[3][at]);
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn distances_are_those_of_single_rows(
            width in 1usize..20, rows in 0usize..1100, wanted in 1usize..=AT_ONCE, seed in any::<u32>(),
        ) {
            let noise = |at: usize| ((at as u32 ^ seed).wrapping_mul(2_654_435_761) >> 20) as f32 / 64.0;
            let table = Table { width, values: (0..(rows + wanted) * width).map(noise).collect() };
            let interleaved = Interleaved::of(&table, wanted..wanted + rows);
            let first: Vec<&[f32]> = (0..wanted).map(|at| table.row(at)).collect();
            let mut found = vec![Vec::new(); wanted];
            interleaved.distances(&first, |at, first, squared| {
                assert_eq!(first, found[at].len());
                found[at].extend_from_slice(squared);
            });
            for (at, found) in found.iter().enumerate() {
                prop_assert_eq!(found.len(), rows);
                for (other, found) in found.iter().enumerate() {
                    let slow = Table::squared(table.row(at), table.row(wanted + other));
                    prop_assert!((found - slow).abs() <= 1e-4 * slow.max(1.0), "{} {}", found, slow);
                }
            }
        }
    }
}
