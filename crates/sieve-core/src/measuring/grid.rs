//! An image of any size as a square grid of mean colours: what all measures are taken from.

use crate::reading::{Rows, Shape, stored_place};

/// Rows and columns of the grid that images are measured by.
pub const SIDE: usize = 64;
/// One row of the image, in the fixed-point numbers that rows are weighted with: times 255 it
/// still fits 16 bits, which a processor multiplies eight at a time.
const ONE: u16 = 1 << 8;
/// Rows after which the sums of a column are moved before they overflow: 255 x [`ONE`] x this many
/// is below 2^31, and so is 255 x 255 x this many.
const MOST_ROWS: u32 = 30_000;
/// Values that are added up side by side: pixels of three channels that fill three registers.
const LANES: usize = 48;

/// Red, green and blue of as many rows as columns, each a plane of its own, row-major, 0 to 255: the
/// mean colour of each part of an image, however large it is and whatever the shape of its sides.
#[derive(Clone, Debug, PartialEq)]
pub struct Grid(pub [Vec<f32>; 3]);

/// Averages the rows of an image into a grid, in one pass.
///
/// Rows are added up column by column, which a processor does many columns at a time, and only the
/// sums are shared out among the columns of the grid. A row or column that lies across a border of
/// the grid counts to both sides by the share that lies there.
#[derive(Default)]
pub struct Averager {
    /// Rows and columns of the grid.
    side: usize,
    shape: Option<Shape>,
    /// Rows that came.
    came: u32,
    /// The row of the grid that `sums` belongs to.
    band: usize,
    /// Sums of the rows of the band, each times its weight.
    sums: Vec<u32>,
    /// Rows in `sums`.
    in_band: u32,
    /// What the rows of each band weigh together, in units of [`ONE`].
    weights: Vec<f32>,
    /// `sums` as numbers that are divided; one more than there are sums.
    numbers: Vec<f32>,
    /// The borders of the grid's columns, one more than there are columns.
    borders: Vec<Border>,
    /// Red, green and blue of the grid, times the weights.
    cells: Vec<Quad>,
    spread: Spread,
}

/// Red, green, blue, and a number that only fills the processor's register.
type Quad = [f32; 4];

/// A border between two columns of the grid: the whole columns of the image that lie before it,
/// and this share of the next.
#[derive(Clone, Copy)]
struct Border {
    whole: usize,
    share: f32,
}

/// The border before part `index` of `parts` equal parts of a line of `length` columns, of which
/// there are `columns`, the last perhaps cut off.
fn border(index: usize, parts: usize, length: f64, columns: usize) -> Border {
    let at = index as f64 * length / parts as f64;
    // The last border may lie at the very end: no column begins there.
    let whole = (at as usize).min(columns.saturating_sub(1));
    Border { whole, share: (at - whole as f64) as f32 }
}

impl Rows for Averager {
    fn begin(&mut self, shape: Shape) {
        let columns = shape.columns as usize;
        let side = self.side;
        *self = Averager {
            side,
            shape: Some(shape),
            sums: vec![0; columns * 3],
            weights: vec![0.0; side],
            numbers: vec![0.0; columns * 3 + 1],
            borders: (0..=side).map(|at| border(at, side, shape.width, columns)).collect(),
            cells: vec![[0.0; 4]; side * side],
            ..Averager::default()
        };
    }

    fn row(&mut self, rgb: &[u8]) {
        let Some(shape) = self.shape else { return };
        let (top, height, side) = (f64::from(self.came), shape.height, self.side);
        let bottom = (top + 1.0).min(height);
        self.came += 1;
        self.spread.add(rgb);
        let border = |band: usize| band as f64 * height / side as f64;
        loop {
            let (from, to) = (top.max(border(self.band)), bottom.min(border(self.band + 1)));
            let weight = ((to - from).max(0.0) * f64::from(ONE)).round() as u16;
            self.weights[self.band] += f32::from(weight);
            for (sum, &value) in self.sums.iter_mut().zip(rgb) {
                *sum += u32::from(u16::from(value) * weight);
            }
            self.in_band += 1;
            if self.in_band == MOST_ROWS {
                self.move_band();
            }
            if bottom < border(self.band + 1) || self.band + 1 == side {
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
    /// For a grid of `side` rows and columns.
    pub fn new(side: usize) -> Self {
        Averager { side, ..Averager::default() }
    }

    /// Shares the sums of the band out among the columns of the grid.
    fn move_band(&mut self) {
        for (number, sum) in self.numbers.iter_mut().zip(&mut self.sums) {
            // Below 2^31: a signed number converts in one step.
            *number = (*sum).cast_signed() as f32;
            *sum = 0;
        }
        self.in_band = 0;
        // The fourth number is the next column's red, which nobody looks at.
        let column = |at: usize| -> Quad {
            let numbers = &self.numbers[at * 3..at * 3 + 4];
            [numbers[0], numbers[1], numbers[2], numbers[3]]
        };
        let row = &mut self.cells[self.band * self.side..][..self.side];
        for (cell, borders) in row.iter_mut().zip(self.borders.windows(2)) {
            let (from, to) = (borders[0], borders[1]);
            let mut sum = plus(*cell, column(from.whole), -from.share);
            for at in from.whole..to.whole {
                sum = plus(sum, column(at), 1.0);
            }
            *cell = plus(sum, column(to.whole), to.share);
        }
    }

    /// The grid, and the standard deviation of each channel over the pixels that came; none when no
    /// image came.
    pub fn finish(mut self) -> Option<(Grid, [f32; 3])> {
        let shape = self.shape?;
        self.move_band();
        let side = self.side;
        let width = (shape.width / side as f64) as f32;
        let mut planes = [0; 3].map(|_| Vec::with_capacity(side * side));
        for (row, weight) in self.cells.chunks_exact(side).zip(&self.weights) {
            let share = 1.0 / (weight * width).max(f32::MIN_POSITIVE);
            for (channel, plane) in planes.iter_mut().enumerate() {
                plane.extend(row.iter().map(|cell| cell[channel] * share));
            }
        }
        Some((Grid(planes), self.spread.deviations()))
    }
}

/// `a + b times`, number by number. Written out, so that it becomes one step of the processor.
#[inline(always)]
fn plus(a: Quad, b: Quad, times: f32) -> Quad {
    [a[0] + b[0] * times, a[1] + b[1] * times, a[2] + b[2] * times, a[3] + b[3] * times]
}

/// Sums of values and of their squares, over all pixels.
#[derive(Default)]
struct Spread {
    pixels: u64,
    sums: [u64; 3],
    squares: [u64; 3],
}

impl Spread {
    fn add(&mut self, rgb: &[u8]) {
        self.pixels += rgb.len() as u64 / 3;
        // A stretch of a row at a time, so that 32 bits hold its sums.
        for stretch in rgb.chunks(LANES * MOST_ROWS as usize) {
            let (mut sums, mut squares) = ([0u32; LANES], [0u32; LANES]);
            let (whole, rest) = stretch.as_chunks::<LANES>();
            for values in whole {
                let values = values.map(u16::from);
                let products: [u16; LANES] =
                    std::array::from_fn(|lane| values[lane] * values[lane]);
                for lane in 0..LANES {
                    sums[lane] += u32::from(values[lane]);
                    squares[lane] += u32::from(products[lane]);
                }
            }
            for (lane, &value) in rest.iter().enumerate() {
                sums[lane] += u32::from(value);
                squares[lane] += u32::from(value) * u32::from(value);
            }
            for lane in 0..LANES {
                self.sums[lane % 3] += u64::from(sums[lane]);
                self.squares[lane % 3] += u64::from(squares[lane]);
            }
        }
    }

    fn deviations(&self) -> [f32; 3] {
        let pixels = self.pixels.max(1) as f64;
        [0, 1, 2].map(|channel| {
            let mean = self.sums[channel] as f64 / pixels;
            let variance = self.squares[channel] as f64 / pixels - mean * mean;
            variance.max(0.0).sqrt() as f32
        })
    }
}

impl Grid {
    /// Turned upright; `orientation` as EXIF counts it.
    pub fn upright(self, orientation: u8) -> Self {
        if orientation <= 1 {
            return self;
        }
        let turn = |plane: Vec<f32>| {
            let side = plane.len().isqrt();
            let cells = (0..side * side).map(|cell| (cell % side, cell / side));
            let stored = cells.map(|(x, y)| stored_place(orientation, x, y, side, side));
            stored.map(|(column, row)| plane[row * side + column]).collect()
        };
        Grid(self.0.map(turn))
    }
}

/// A square plane of half as many rows and columns: the mean of each four cells.
pub fn halved(plane: &[f32], side: usize) -> Vec<f32> {
    let mut halved = Vec::with_capacity(plane.len() / 4);
    for rows in plane.chunks_exact(2 * side) {
        let (above, below) = rows.split_at(side);
        let pairs = above.chunks_exact(2).zip(below.chunks_exact(2));
        halved.extend(pairs.map(|(a, b)| (a[0] + a[1] + b[0] + b[1]) / 4.0));
    }
    halved
}

/// The mean of `value` over a plane, in eight partial sums that a processor adds side by side.
pub fn mean(plane: &[f32], value: impl Fn(f32) -> f32) -> f32 {
    let mut sums = [0.0f32; 8];
    for values in plane.chunks_exact(8) {
        for lane in 0..8 {
            sums[lane] += value(values[lane]);
        }
    }
    sums.iter().sum::<f32>() / plane.len() as f32
}
