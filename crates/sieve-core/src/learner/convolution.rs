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
