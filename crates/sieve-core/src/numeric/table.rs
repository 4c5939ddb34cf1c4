//! Numbers of many images, one row each: made comparable, and reduced to the directions in which they differ most.

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;

use super::matrix::{Square, dot};

/// Columns whose directions are computed.
const MOST_COLUMNS: usize = 512;
/// Columns whose directions are all computed, to the last digit.
const FEW_COLUMNS: usize = 128;
/// Rows from which directions are computed, at most: these many say as much of 512 directions as all.
const MOST_ROWS: usize = 10_000;

/// One row of numbers for each image.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Table {
    /// Numbers of a row.
    pub width: usize,
    /// The rows, one after another.
    pub values: Vec<f32>,
}

impl Table {
    /// A table of rows that have all the same length.
    pub fn of_rows<R: AsRef<[f32]>>(rows: impl IntoIterator<Item = R>) -> Self {
        let mut table = Table::default();
        for row in rows {
            table.width = row.as_ref().len();
            table.values.extend_from_slice(row.as_ref());
        }
        table
    }

    /// The row of an image.
    pub fn row(&self, at: usize) -> &[f32] {
        &self.values[at * self.width..][..self.width]
    }

    /// All rows.
    pub fn rows(&self) -> impl Iterator<Item = &[f32]> {
        self.values.chunks_exact(self.width.max(1))
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.values.len().checked_div(self.width).unwrap_or(0)
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// The rows of these images alone.
    pub fn only(&self, images: &[u32]) -> Self {
        Table::of_rows(images.iter().map(|&at| self.row(at as usize)))
    }

    /// The same with a mean of 0 and a standard deviation of 1 in each column; columns that do not vary are 0.
    pub fn standardised(mut self) -> Self {
        let count = self.len() as f64;
        let mut means = vec![0.0f64; self.width];
        let mut squares = vec![0.0f64; self.width];
        for row in self.rows() {
            means.iter_mut().zip(row).for_each(|(sum, &value)| *sum += f64::from(value));
        }
        means.iter_mut().for_each(|sum| *sum /= count);
        for row in self.rows() {
            let off = row.iter().zip(&means).map(|(&value, mean)| f64::from(value) - mean);
            squares.iter_mut().zip(off).for_each(|(sum, off)| *sum += off * off);
        }
        // A column that varies by less than what its values are rounded by does not vary.
        let scale = |(square, mean): (&f64, &f64)| {
            let deviation = (square / count).sqrt();
            if deviation > 1e-6 * mean.abs().max(1e-3) { 1.0 / deviation } else { 0.0 }
        };
        let scales: Vec<f64> = squares.iter().zip(&means).map(scale).collect();
        for row in self.values.chunks_exact_mut(self.width.max(1)) {
            for ((value, mean), scale) in row.iter_mut().zip(&means).zip(&scales) {
                *value = ((f64::from(*value) - mean) * scale) as f32;
            }
        }
        self
    }

    /// The same with a mean of 0 in each column.
    pub fn centred(mut self) -> Self {
        let count = self.len().max(1) as f64;
        let mut means = vec![0.0f64; self.width];
        for row in self.rows() {
            means.iter_mut().zip(row).for_each(|(sum, &value)| *sum += f64::from(value));
        }
        for row in self.values.chunks_exact_mut(self.width.max(1)) {
            let means = means.iter().map(|sum| sum / count);
            row.iter_mut()
                .zip(means)
                .for_each(|(value, mean)| *value = (f64::from(*value) - mean) as f32);
        }
        self
    }

    /// The same with rows of length 1, so that distances are those of directions; a row of zeros stays.
    pub fn of_unit_length(mut self) -> Self {
        for row in self.values.chunks_exact_mut(self.width.max(1)) {
            let length = row.iter().map(|&value| f64::from(value).powi(2)).sum::<f64>().sqrt();
            if length > 0.0 {
                row.iter_mut().for_each(|value| *value = (f64::from(*value) / length) as f32);
            }
        }
        self
    }

    /// The rows on their first `most` principal components. The means of the columns should be 0. Rows of more than 512 numbers
    /// are first put on 512 directions at random, which keeps their distances to within some percent (Johnson and Lindenstrauss,
    /// 1984).
    pub fn on_components(&self, most: usize) -> Self {
        if self.width <= most {
            return self.clone();
        }
        if self.width > MOST_COLUMNS {
            return self.at_random(MOST_COLUMNS).on_components(most);
        }
        let mut products = Square::zeros(self.width);
        let mut wide = vec![0.0f64; self.width];
        // Rows are in the order of classes, so that each class has its share of every tenth one.
        for row in self.rows().step_by(self.len().div_ceil(MOST_ROWS).max(1)) {
            widen(&mut wide, row);
            products.add_outer(&wide, 1.0);
        }
        products.mirror();
        let mut directions = if self.width <= FEW_COLUMNS {
            products.directions()
        } else {
            products.leading_directions(most)
        };
        directions.truncate(most);
        // Rows that are all the same have no direction, but a place.
        if directions.is_empty() {
            directions.push(vec![0.0; self.width]);
        }
        let width = directions.len();
        let mut values = vec![0.0f32; self.len() * width];
        let rows = values.par_chunks_mut(width.max(1)).zip(self.values.par_chunks(self.width));
        rows.for_each_with(wide, |wide, (into, row)| {
            widen(wide, row);
            let placed = into.iter_mut().zip(&directions);
            placed.for_each(|(into, direction)| *into = dot(wide, direction) as f32);
        });
        Table { width, values }
    }

    /// The rows on directions that are drawn at random, the same for every table of this width: sums with signs.
    fn at_random(&self, directions: usize) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(self.width as u64);
        let scale = 1.0 / (directions as f32).sqrt();
        // One bit for each column and direction.
        let words = self.width.div_ceil(64);
        let signs: Vec<u64> = (0..directions * words).map(|_| rng.random()).collect();
        let mut values = vec![0.0f32; self.len() * directions];
        let rows = values.par_chunks_mut(directions).zip(self.values.par_chunks(self.width));
        rows.for_each(|(into, row)| {
            for (into, signs) in into.iter_mut().zip(signs.chunks_exact(words)) {
                let signed = row.iter().enumerate().map(|(at, &value)| {
                    if signs[at / 64] >> (at % 64) & 1 == 1 { value } else { -value }
                });
                *into = signed.sum::<f32>() * scale;
            }
        });
        Table { width: directions, values }
    }

    /// The mean of some rows.
    pub fn mean_of(&self, rows: &[usize]) -> Vec<f32> {
        let mut sums = vec![0.0f64; self.width];
        for &row in rows {
            sums.iter_mut().zip(self.row(row)).for_each(|(sum, &value)| *sum += f64::from(value));
        }
        sums.iter().map(|sum| (sum / rows.len() as f64) as f32).collect()
    }

    /// The square of the distance between two rows of the same length, in eight lanes.
    pub fn squared(a: &[f32], b: &[f32]) -> f32 {
        let (a, rest_a) = a.as_chunks::<8>();
        let (b, rest_b) = b.as_chunks::<8>();
        let mut sums = [0.0f32; 8];
        for (a, b) in a.iter().zip(b) {
            (0..8).for_each(|lane| sums[lane] += (a[lane] - b[lane]) * (a[lane] - b[lane]));
        }
        let rest: f32 = rest_a.iter().zip(rest_b).map(|(a, b)| (a - b) * (a - b)).sum();
        let [a, b, c, d, e, f, g, h] = sums;
        ((a + e) + (c + g)) + ((b + f) + (d + h)) + rest
    }
}

fn widen(wide: &mut [f64], row: &[f32]) {
    wide.iter_mut().zip(row).for_each(|(wide, &value)| *wide = f64::from(value));
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_comparable_and_components_keep_what_differs() {
        // Points near a line in the first two columns; the third says nothing.
        let points = (0..50).map(|at| {
            let along = at as f32 - 24.5;
            [3.0 * along + 1.0, along * 2.0 + f32::from(at as u8 % 2), 7.0]
        });
        let table = Table::of_rows(points).standardised();
        let column = |at: usize| table.rows().map(move |row| f64::from(row[at]));
        for at in 0..2 {
            assert!(column(at).sum::<f64>().abs() < 1e-4);
            assert!((column(at).map(|value| value * value).sum::<f64>() - 50.0).abs() < 1e-3);
        }
        assert!(column(2).all(|value| value == 0.0));
        let reduced = table.on_components(1);
        assert_eq!((reduced.len(), reduced.width), (50, 1));
        // Distances along the line are kept nearly whole.
        let whole = Table::squared(table.row(0), table.row(49));
        let kept = Table::squared(reduced.row(0), reduced.row(49));
        assert!(kept <= whole * 1.0001 && kept > 0.99 * whole, "{kept} of {whole}");
        let unit = table.of_unit_length();
        let length = |row: &[f32]| row.iter().map(|value| value * value).sum::<f32>();
        assert!(unit.rows().all(|row| (length(row) - 1.0).abs() < 1e-5));
    }
}
