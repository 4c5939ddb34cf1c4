//! One stage of the network: a convolution with 3 x 3 filters, its positive part, and the greatest of each 2 x 2 of that.
//!
//! A stage works on one image at a time: all that it touches then stays in the processor's cache. The image is spread out
//! into one column for each place of the filter, so that the convolution is one product of matrices.

use matrixmultiply::sgemm;

/// Columns and rows of a filter.
const FILTER: usize = 3;
/// Places of a filter.
const PLACES: usize = FILTER * FILTER;
/// What [`Stage::forward`] notes where no value was positive.
const NONE: u8 = 4;

/// The shape of a stage.
#[derive(Clone, Copy, Debug)]
pub(super) struct Stage {
    /// Channels that come in.
    pub inputs: usize,
    /// Channels that go out, one for each filter.
    pub outputs: usize,
    /// Rows and columns that come in; half of them go out.
    pub side: usize,
}

/// Memory that the stages of one run share.
#[derive(Debug, Default)]
pub(super) struct Buffers {
    columns: Vec<f32>,
    full: Vec<f32>,
    column_slopes: Vec<f32>,
}

impl Stage {
    /// Values of an image that comes in, with a border of one zero around each channel.
    pub fn padded(self) -> usize {
        self.inputs * (self.side + 2) * (self.side + 2)
    }

    /// Values that go out, without a border.
    pub fn pooled(self) -> usize {
        self.outputs * self.side * self.side / 4
    }

    /// Weights of all filters.
    pub fn weights(self) -> usize {
        self.outputs * self.rows()
    }

    /// Weights of one filter.
    pub fn rows(self) -> usize {
        self.inputs * PLACES
    }

    fn area(self) -> usize {
        self.side * self.side
    }

    /// Writes what goes out of a padded image to `out`, whose channels have a border of `border` zeros, and notes which of
    /// each 2 x 2 it was.
    pub fn forward(
        self,
        (weights, biases): (&[f32], &[f32]),
        image: &[f32],
        (out, border): (&mut [f32], usize),
        chosen: &mut [u8],
        buffers: &mut Buffers,
    ) {
        self.spread(image, &mut buffers.columns);
        buffers.full.resize(self.outputs * self.area(), 0.0);
        product(
            (weights, self.rows(), 1),
            (&buffers.columns, self.area(), 1),
            (&mut buffers.full, self.area()),
            (self.outputs, self.rows(), self.area()),
            0.0,
        );
        let (side, half) = (self.side, self.side / 2);
        let across = half + 2 * border;
        for (channel, &bias) in biases.iter().enumerate() {
            let full = &buffers.full[channel * self.area()..][..self.area()];
            let chosen = &mut chosen[channel * half * half..][..half * half];
            let out = &mut out[channel * across * across..][..across * across];
            for row in 0..half {
                let pairs = full[2 * row * side..][..2 * side].split_at(side);
                let target = &mut out[(row + border) * across + border..][..half];
                let chosen = &mut chosen[row * half..][..half];
                let upper = pairs.0.as_chunks::<2>().0.iter();
                let fours = upper.zip(pairs.1.as_chunks::<2>().0);
                for ((target, chosen), (&[a, b], &[c, d])) in
                    target.iter_mut().zip(chosen).zip(fours)
                {
                    let (top, bottom) = (a.max(b), c.max(d));
                    let value = top.max(bottom) + bias;
                    let place = if bottom > top { 2 + u8::from(d > c) } else { u8::from(b > a) };
                    let is_positive = value > 0.0;
                    *target = if is_positive { value } else { 0.0 };
                    *chosen = if is_positive { place } else { NONE };
                }
            }
        }
    }

    /// Adds the slopes of the weights and biases, given those of what went out; writes the slopes of what came in, without
    /// a border, where they are wanted.
    pub fn backward(
        self,
        weights: &[f32],
        (image, chosen, pooled_slopes): (&[f32], &[u8], &[f32]),
        (weight_slopes, bias_slopes): (&mut [f32], &mut [f32]),
        image_slopes: Option<&mut [f32]>,
        buffers: &mut Buffers,
    ) {
        self.spread(image, &mut buffers.columns);
        let (side, half) = (self.side, self.side / 2);
        buffers.full.clear();
        buffers.full.resize(self.outputs * self.area(), 0.0);
        let channels =
            chosen.chunks_exact(half * half).zip(pooled_slopes.chunks_exact(half * half));
        for ((chosen, slopes), (full, bias)) in
            channels.zip(buffers.full.chunks_exact_mut(self.area()).zip(bias_slopes))
        {
            let lines = chosen.chunks_exact(half).zip(slopes.chunks_exact(half));
            for ((chosen, slopes), full) in lines.zip(full.chunks_exact_mut(2 * side)) {
                for (at, (&place, &slope)) in chosen.iter().zip(slopes).enumerate() {
                    if place != NONE {
                        full[usize::from(place / 2) * side + 2 * at + usize::from(place % 2)] =
                            slope;
                        *bias += slope;
                    }
                }
            }
        }
        product(
            (&buffers.full, self.area(), 1),
            (&buffers.columns, 1, self.area()),
            (weight_slopes, self.rows()),
            (self.outputs, self.area(), self.rows()),
            1.0,
        );
        let Some(image_slopes) = image_slopes else { return };
        buffers.column_slopes.resize(self.rows() * self.area(), 0.0);
        product(
            (weights, 1, self.rows()),
            (&buffers.full, self.area(), 1),
            (&mut buffers.column_slopes, self.area()),
            (self.rows(), self.outputs, self.area()),
            0.0,
        );
        self.gather(&buffers.column_slopes, image_slopes);
    }

    /// One row for each channel and place of a filter: the channel, moved by that place.
    fn spread(self, image: &[f32], columns: &mut Vec<f32>) {
        let (side, across) = (self.side, self.side + 2);
        columns.resize(self.rows() * self.area(), 0.0);
        for (number, row) in columns.chunks_exact_mut(self.area()).enumerate() {
            let (channel, place) = (number / PLACES, number % PLACES);
            let from = channel * across * across + place / FILTER * across + place % FILTER;
            for (line, target) in row.chunks_exact_mut(side).enumerate() {
                target.copy_from_slice(&image[from + line * across..][..side]);
            }
        }
    }

    /// The reverse of [`Stage::spread`]: sums what stands for one value of the image.
    fn gather(self, columns: &[f32], image: &mut [f32]) {
        let side = self.side;
        image.fill(0.0);
        for (number, row) in columns.chunks_exact(self.area()).enumerate() {
            let (channel, place) = (number / PLACES, number % PLACES);
            let (down, right) = (place / FILTER, place % FILTER);
            let image = &mut image[channel * self.area()..][..self.area()];
            // What a filter sees of the border is no value of the image.
            let lines = usize::from(down == 0)..side - usize::from(down == 2);
            let (first, last) = (usize::from(right == 0), side - usize::from(right == 2));
            for line in lines {
                let source = &row[line * side + first..line * side + last];
                let target = (line + down - 1) * side + first + right - 1;
                let target = &mut image[target..][..source.len()];
                target.iter_mut().zip(source).for_each(|(sum, value)| *sum += value);
            }
        }
    }
}

/// `c = a b + beta c`, where `a` has `m` rows and `k` columns and `b` has `k` rows and `n` columns. With `a` and `b` stand
/// the steps from row to row and from column to column, with `c` that from row to row.
pub(super) fn product(
    (a, a_row, a_column): (&[f32], usize, usize),
    (b, b_row, b_column): (&[f32], usize, usize),
    (c, c_row): (&mut [f32], usize),
    (m, k, n): (usize, usize, usize),
    beta: f32,
) {
    if m == 0 || n == 0 {
        return;
    }
    let last = |rows: usize, columns: usize, row: usize, column: usize| {
        if rows * columns == 0 { 0 } else { (rows - 1) * row + (columns - 1) * column + 1 }
    };
    assert!(a.len() >= last(m, k, a_row, a_column), "the left matrix is complete");
    assert!(b.len() >= last(k, n, b_row, b_column), "the right matrix is complete");
    assert!(c.len() >= last(m, n, c_row, 1) && c_row >= n, "the product has room");
    let steps = |step: usize| step as isize;
    // SAFETY: all that is read and written lies within the slices, as asserted; no two values of `c` share a place, as its
    // rows are at least as far apart as they are long.
    unsafe {
        sgemm(
            m,
            k,
            n,
            1.0,
            a.as_ptr(),
            steps(a_row),
            steps(a_column),
            b.as_ptr(),
            steps(b_row),
            steps(b_column),
            beta,
            c.as_mut_ptr(),
            steps(c_row),
            1,
        );
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Numbers that look random, from -1 to 1.
    fn numbers(count: usize, seed: u32) -> Vec<f32> {
        let number = |at: u32| {
            let mixed = (at ^ seed.wrapping_mul(0x85eb_ca77)).wrapping_mul(0x9e37_79b1);
            f32::from(((mixed ^ (mixed >> 15)).wrapping_mul(0xc2b2_ae3d) >> 16) as i16) / 32768.0
        };
        (0..count as u32).map(number).collect()
    }

    /// A padded image with zeros around each channel.
    fn padded(stage: Stage, values: &[f32]) -> Vec<f32> {
        let (side, across) = (stage.side, stage.side + 2);
        let mut image = vec![0.0; stage.padded()];
        for (at, value) in values.iter().enumerate() {
            let (channel, row, column) = (at / (side * side), at / side % side, at % side);
            image[channel * across * across + (row + 1) * across + column + 1] = *value;
        }
        image
    }

    /// What a stage does, value by value: the best of each 2 x 2, and the loss that its sum with `slopes` is.
    fn slowly(stage: Stage, weights: &[f32], biases: &[f32], image: &[f32]) -> Vec<f32> {
        let (side, across) = (stage.side, stage.side + 2);
        let at = |output: usize, row: usize, column: usize| -> f32 {
            let mut sum = biases[output];
            for input in 0..stage.inputs {
                for place in 0..PLACES {
                    let value = image[input * across * across
                        + (row + place / FILTER) * across
                        + column
                        + place % FILTER];
                    sum += weights[output * stage.rows() + input * PLACES + place] * value;
                }
            }
            sum
        };
        let half = side / 2;
        (0..stage.pooled())
            .map(|cell| {
                let (output, row, column) = (cell / (half * half), cell / half % half, cell % half);
                let four = [(0, 0), (0, 1), (1, 0), (1, 1)];
                let values =
                    four.map(|(down, right)| at(output, 2 * row + down, 2 * column + right));
                values.into_iter().fold(0.0, f32::max)
            })
            .collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn a_stage_is_what_its_formula_says(inputs in 1usize..4, outputs in 1usize..6, half in 1usize..4, seed in 0u32..1000) {
            let stage = Stage { inputs, outputs, side: 2 * half };
            let weights = numbers(stage.weights(), seed);
            let biases = numbers(outputs, seed + 1);
            let image = padded(stage, &numbers(inputs * stage.area(), seed + 2));
            let mut buffers = Buffers::default();
            let mut chosen = vec![9; stage.pooled()];
            let mut out = vec![0.0; stage.pooled()];
            stage.forward((&weights, &biases), &image, (&mut out, 0), &mut chosen, &mut buffers);
            let expected = slowly(stage, &weights, &biases, &image);
            for (value, expected) in out.iter().zip(&expected) {
                prop_assert!((value - expected).abs() < 1e-4, "{value} {expected}");
            }
            prop_assert!(chosen.iter().zip(&out).all(|(&place, &value)| (place == NONE) == (value == 0.0)));
            // With a border the same values stand within zeros.
            let across = half + 2;
            let mut bordered = vec![0.0; outputs * across * across];
            stage.forward((&weights, &biases), &image, (&mut bordered, 1), &mut chosen, &mut buffers);
            for (cell, value) in out.iter().enumerate() {
                let (output, row, column) = (cell / (half * half), cell / half % half, cell % half);
                prop_assert_eq!(bordered[output * across * across + (row + 1) * across + column + 1], *value);
            }
            prop_assert_eq!(bordered.iter().filter(|value| **value != 0.0).count(), out.iter().filter(|value| **value != 0.0).count());
        }

        #[test]
        fn the_way_back_follows_the_way_there(inputs in 1usize..3, outputs in 1usize..4, half in 1usize..3, seed in 0u32..1000) {
            // Once it is known which of each 2 x 2 went out, everything is a sum of products, whose slopes are sums as well.
            let stage = Stage { inputs, outputs, side: 2 * half };
            let weights = numbers(stage.weights(), seed);
            let biases = numbers(outputs, seed + 1);
            let image = padded(stage, &numbers(inputs * stage.area(), seed + 2));
            let slopes = numbers(stage.pooled(), seed + 3);
            let mut buffers = Buffers::default();
            let (mut chosen, mut out) = (vec![0; stage.pooled()], vec![0.0; stage.pooled()]);
            stage.forward((&weights, &biases), &image, (&mut out, 0), &mut chosen, &mut buffers);
            let (mut of_weights, mut of_biases) = (vec![0.0; stage.weights()], vec![0.0; outputs]);
            let mut of_values = vec![0.0; inputs * stage.area()];
            stage.backward(
                &weights,
                (&image, &chosen, &slopes),
                (&mut of_weights, &mut of_biases),
                Some(&mut of_values),
                &mut buffers,
            );
            let (side, across) = (stage.side, stage.side + 2);
            let mut expected = (vec![0.0; of_weights.len()], vec![0.0; outputs], vec![0.0; image.len()]);
            for (cell, (&place, &slope)) in chosen.iter().zip(&slopes).enumerate().filter(|(_, (place, _))| **place != NONE) {
                let (output, row, column) = (cell / (half * half), cell / half % half, cell % half);
                let (row, column) = (2 * row + usize::from(place / 2), 2 * column + usize::from(place % 2));
                expected.1[output] += slope;
                for input in 0..inputs {
                    for place in 0..PLACES {
                        let weight = output * stage.rows() + input * PLACES + place;
                        let value = input * across * across + (row + place / FILTER) * across + column + place % FILTER;
                        expected.0[weight] += slope * image[value];
                        expected.2[value] += slope * weights[weight];
                    }
                }
            }
            let near = |a: &f32, b: &f32| (a - b).abs() < 1e-4;
            prop_assert!(of_weights.iter().zip(&expected.0).all(|(a, b)| near(a, b)));
            prop_assert!(of_biases.iter().zip(&expected.1).all(|(a, b)| near(a, b)));
            for (at, slope) in of_values.iter().enumerate() {
                let (input, row, column) = (at / (side * side), at / side % side, at % side);
                prop_assert!(near(slope, &expected.2[input * across * across + (row + 1) * across + column + 1]));
            }
        }

        #[test]
        fn a_product_is_rows_times_columns(m in 0usize..5, k in 0usize..6, n in 0usize..7, seed in 0u32..100) {
            let (a, b) = (numbers(m * k, seed), numbers(k * n, seed + 1));
            let mut c = numbers(m * n, seed + 2);
            let before = c.clone();
            // The left matrix stands column by column.
            product((&a, 1, m), (&b, n, 1), (&mut c, n), (m, k, n), 1.0);
            for row in 0..m {
                for column in 0..n {
                    let sum: f32 = (0..k).map(|at| a[at * m + row] * b[at * n + column]).sum();
                    let expected = sum + before[row * n + column];
                    prop_assert!((c[row * n + column] - expected).abs() < 1e-4);
                }
            }
        }
    }
}
