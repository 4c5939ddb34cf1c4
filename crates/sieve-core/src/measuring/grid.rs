//! A picture of any size as a grid of 64 x 64 mean colours: what all measures are taken from.

use crate::reading::{Rows, Shape};

/// Rows and columns of the grid.
pub const SIDE: usize = 64;
/// Values in a row of the grid.
const ROW: usize = SIDE * 3;
/// One row of the picture, in the fixed-point numbers that rows are weighted with.
const ONE: u32 = 1 << 12;
/// Rows after which the sums of a column are moved before they overflow: 255 x [`ONE`] x this many
/// is below 2^32, and so is 255 x 255 x this many.
const MOST_ROWS: u32 = 4000;

/// 64 rows x 64 columns x 3 channels (red, green, blue), row-major, 0 to 255: the mean colour of
/// each part of a picture, however large it is and whatever the shape of its sides.
#[derive(Clone, Debug, PartialEq)]
pub struct Grid(pub Vec<f32>);

/// Averages the rows of a picture into a grid, in one pass.
///
/// Rows are added up column by column, which a processor does many columns at a time, and only the
/// sums are shared out among the columns of the grid. A row or column that lies across a border of
/// the grid counts to both sides by the share that lies there.
#[derive(Default)]
pub struct Averager {
    shape: Option<Shape>,
    /// Rows that came.
    came: u32,
    /// The row of the grid that `weighted` belongs to.
    band: usize,
    /// Sums of the rows of the band, each times its weight.
    weighted: Vec<u32>,
    /// Rows in `weighted`.
    in_band: u32,
    /// Sums of the values and of their squares, unweighted.
    plain: Vec<u32>,
    squares: Vec<u32>,
    /// Rows in `plain` and `squares`.
    in_plain: u32,
    cells: Vec<f64>,
    /// What the rows of each band weigh together.
    weights: Vec<f64>,
    sums: [u64; 3],
    square_sums: [u64; 3],
    /// Which columns each column of the grid covers.
    columns: Vec<Cover>,
}

/// Part of a line of pixels.
#[derive(Clone, Copy)]
struct Cover {
    first: usize,
    last: usize,
    /// The share of the first and of the last pixel that is covered.
    first_share: f64,
    last_share: f64,
}

/// The pixels that part `index` of [`SIDE`] equal parts of a line covers. The line is `length`
/// pixels long, the last of which may be cut off.
fn cover(index: usize, length: f64) -> Cover {
    let at = |index: usize| index as f64 * length / SIDE as f64;
    let (start, end) = (at(index), at(index + 1));
    let first = start as usize;
    // A part that ends between two pixels does not reach into the next.
    let last = (end.ceil() as usize).saturating_sub(1).max(first);
    if first == last {
        return Cover { first, last, first_share: end - start, last_share: 0.0 };
    }
    Cover { first, last, first_share: (first + 1) as f64 - start, last_share: end - last as f64 }
}

impl Rows for Averager {
    fn begin(&mut self, shape: Shape) {
        let values = shape.columns as usize * 3;
        *self = Averager {
            shape: Some(shape),
            weighted: vec![0; values],
            plain: vec![0; values],
            squares: vec![0; values],
            cells: vec![0.0; SIDE * ROW],
            weights: vec![0.0; SIDE],
            columns: (0..SIDE).map(|index| cover(index, shape.width)).collect(),
            ..Averager::default()
        };
    }

    fn row(&mut self, rgb: &[u8]) {
        let Some(shape) = self.shape else { return };
        let (top, height) = (f64::from(self.came), shape.height);
        let bottom = (top + 1.0).min(height);
        self.came += 1;
        for ((plain, square), &value) in self.plain.iter_mut().zip(&mut self.squares).zip(rgb) {
            *plain += u32::from(value);
            *square += u32::from(u16::from(value) * u16::from(value));
        }
        self.in_plain += 1;
        if self.in_plain == MOST_ROWS {
            self.move_plain();
        }
        let border = |band: usize| band as f64 * height / SIDE as f64;
        loop {
            let (from, to) = (top.max(border(self.band)), bottom.min(border(self.band + 1)));
            let weight = ((to - from).max(0.0) * f64::from(ONE)).round() as u32;
            self.weights[self.band] += f64::from(weight);
            if weight == ONE {
                for (sum, &value) in self.weighted.iter_mut().zip(rgb) {
                    *sum += u32::from(value) << 12;
                }
            } else if weight > 0 {
                for (sum, &value) in self.weighted.iter_mut().zip(rgb) {
                    *sum += u32::from(value) * weight;
                }
            }
            self.in_band += 1;
            if self.in_band == MOST_ROWS {
                self.move_band();
            }
            if bottom < border(self.band + 1) || self.band + 1 == SIDE {
                break;
            }
            self.move_band();
            self.band += 1;
            if bottom <= border(self.band) {
                break;
            }
        }
    }
}

impl Averager {
    /// Shares the sums of the band out among the columns of the grid.
    fn move_band(&mut self) {
        let row = &mut self.cells[self.band * ROW..][..ROW];
        let sums: &[u32] = &self.weighted;
        for (cell, cover) in row.chunks_exact_mut(3).zip(&self.columns) {
            let at = |column: usize, channel: usize| f64::from(sums[column * 3 + channel]);
            for (channel, value) in cell.iter_mut().enumerate() {
                *value += at(cover.first, channel) * cover.first_share;
                if cover.last > cover.first {
                    *value += at(cover.last, channel) * cover.last_share;
                }
            }
            if cover.last > cover.first + 1 {
                let inner = &sums[(cover.first + 1) * 3..cover.last * 3];
                let mut totals = [0u64; 3];
                for pixel in inner.chunks_exact(3) {
                    for channel in 0..3 {
                        totals[channel] += u64::from(pixel[channel]);
                    }
                }
                for (value, total) in cell.iter_mut().zip(totals) {
                    *value += total as f64;
                }
            }
        }
        self.weighted.fill(0);
        self.in_band = 0;
    }

    fn move_plain(&mut self) {
        for (pixel, squares) in self.plain.chunks_exact(3).zip(self.squares.chunks_exact(3)) {
            for channel in 0..3 {
                self.sums[channel] += u64::from(pixel[channel]);
                self.square_sums[channel] += u64::from(squares[channel]);
            }
        }
        self.plain.fill(0);
        self.squares.fill(0);
        self.in_plain = 0;
    }

    /// The grid, and the standard deviation of each channel over the pixels that came; none when no
    /// picture came.
    pub fn finish(mut self) -> Option<(Grid, [f32; 3])> {
        let shape = self.shape?;
        self.move_band();
        self.move_plain();
        let width = shape.width / SIDE as f64;
        let weights = self.weights.iter().flat_map(|&weight| [weight * width; ROW]);
        let mean =
            |(sum, weight): (&f64, f64)| if weight > 0.0 { (sum / weight) as f32 } else { 0.0 };
        let grid = Grid(self.cells.iter().zip(weights).map(mean).collect());
        let pixels = (f64::from(shape.columns) * f64::from(self.came)).max(1.0);
        let deviation = |channel: usize| {
            let mean = self.sums[channel] as f64 / pixels;
            let variance = self.square_sums[channel] as f64 / pixels - mean * mean;
            variance.max(0.0).sqrt() as f32
        };
        Some((grid, [0, 1, 2].map(deviation)))
    }
}

impl Grid {
    /// The colours of the cells, row by row.
    pub fn colours(&self) -> impl Iterator<Item = [f32; 3]> {
        self.0.chunks_exact(3).map(|cell| [cell[0], cell[1], cell[2]])
    }

    /// Turned upright; `orientation` as EXIF counts it.
    pub fn upright(self, orientation: u8) -> Self {
        if orientation <= 1 {
            return self;
        }
        let mut turned = Vec::with_capacity(self.0.len());
        for y in 0..SIDE {
            for x in 0..SIDE {
                let (column, row) = crate::reading::stored_place(orientation, x, y, SIDE, SIDE);
                turned.extend_from_slice(&self.0[row * ROW + column * 3..][..3]);
            }
        }
        Grid(turned)
    }

    /// Half as many rows and columns: the mean of each four cells of one value.
    pub fn halved(plane: &[f32], side: usize) -> Vec<f32> {
        let half = side / 2;
        let mut halved = Vec::with_capacity(half * half);
        for y in 0..half {
            let (above, below) = (&plane[2 * y * side..], &plane[(2 * y + 1) * side..]);
            halved.extend((0..half).map(|x| {
                let x = 2 * x;
                (above[x] + above[x + 1] + below[x] + below[x + 1]) / 4.0
            }));
        }
        halved
    }
}
