//! Tables of counts: do rows and columns go together?

use serde::Serialize;

use super::chance_of;

/// Counts of things that have one of several values in each of two ways.
#[derive(Clone, Debug, PartialEq)]
pub struct Contingency {
    /// Row by row.
    counts: Vec<u64>,
    columns: usize,
}

/// How strongly rows and columns of a table go together.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct AssociationTest {
    /// Number of things counted.
    pub total: u64,
    /// Pearson's chi-squared, without a correction for continuity (Pearson, 1900).
    pub chi_squared: f64,
    /// Degrees of freedom: (rows - 1) x (columns - 1), rows and columns without anything left out.
    pub degrees: u64,
    /// The chance of a chi-squared value this large where rows and columns have nothing to do with
    /// each other, 0 to 1.
    pub p: f64,
    /// Cramer's V, 0 to 1: the root of chi-squared over its largest possible value (Cramer,
    /// Mathematical Methods of Statistics, 1946).
    pub cramers_v: f64,
    /// The same without the part that chance alone gives, 0 to 1; what words are based on, since many
    /// rare values drive the plain one up (Bergsma, A bias-correction for Cramer's V, 2013).
    pub cramers_v_corrected: f64,
    /// The least count that is expected in any cell. Below 1 in large parts of a table, p is rough.
    pub least_expected: f64,
}

impl Contingency {
    /// A table of nothing, of this many rows and columns.
    pub fn new(rows: usize, columns: usize) -> Self {
        Contingency { counts: vec![0; rows * columns], columns }
    }

    /// Counts `number` things more in one cell.
    pub fn add(&mut self, row: usize, column: usize, number: u64) {
        self.counts[row * self.columns + column] += number;
    }

    /// The count of one cell.
    pub fn at(&self, row: usize, column: usize) -> u64 {
        self.counts[row * self.columns + column]
    }

    /// The sum of each row.
    pub fn rows(&self) -> Vec<u64> {
        let columns = self.columns.max(1);
        self.counts.chunks(columns).map(|row| row.iter().sum()).collect()
    }

    /// The sum of each column.
    pub fn columns(&self) -> Vec<u64> {
        let mut sums = vec![0; self.columns];
        for row in self.counts.chunks(self.columns.max(1)) {
            sums.iter_mut().zip(row).for_each(|(sum, count)| *sum += count);
        }
        sums
    }

    /// How rows and columns go together; none for a table with less than two rows or columns that
    /// hold anything.
    pub fn association(&self) -> Option<AssociationTest> {
        let (rows, columns) = (self.rows(), self.columns());
        let filled = |sums: &[u64]| sums.iter().filter(|&&sum| sum > 0).count() as u64;
        let (height, width) = (filled(&rows), filled(&columns));
        if height < 2 || width < 2 {
            return None;
        }
        let total: u64 = rows.iter().sum();
        let n = total as f64;
        let (mut chi_squared, mut least_expected) = (0.0, f64::INFINITY);
        for (row, &across) in rows.iter().enumerate().filter(|&(_, &sum)| sum > 0) {
            for (column, &down) in columns.iter().enumerate().filter(|&(_, &sum)| sum > 0) {
                let expected = across as f64 * down as f64 / n;
                let apart = self.at(row, column) as f64 - expected;
                chi_squared += apart * apart / expected;
                least_expected = expected.min(least_expected);
            }
        }
        let degrees = (height - 1) * (width - 1);
        let mean_square = chi_squared / n;
        let most = (height.min(width) - 1) as f64;
        // Of a single thing nothing can be said beyond the plain value.
        let corrected = if total < 2 {
            0.0
        } else {
            let shrunk = |side: u64| side as f64 - ((side - 1) * (side - 1)) as f64 / (n - 1.0);
            let left = (mean_square - degrees as f64 / (n - 1.0)).max(0.0);
            let most = shrunk(height).min(shrunk(width)) - 1.0;
            if most > 0.0 { (left / most).sqrt().min(1.0) } else { 0.0 }
        };
        Some(AssociationTest {
            total,
            chi_squared,
            degrees,
            p: chance_of(chi_squared, degrees),
            cramers_v: (mean_square / most).sqrt().min(1.0),
            cramers_v_corrected: corrected,
            least_expected,
        })
    }
}

/// Half the sum of the differences between the shares of two lists of counts, 0 to 1: the share of
/// one that would have to change to be like the other. None when one of them is empty.
pub fn total_variation(a: &[u64], b: &[u64]) -> Option<f64> {
    let total = |counts: &[u64]| counts.iter().sum::<u64>() as f64;
    let (of_a, of_b) = (total(a), total(b));
    if of_a == 0.0 || of_b == 0.0 {
        return None;
    }
    let apart = a.iter().zip(b).map(|(&a, &b)| (a as f64 / of_a - b as f64 / of_b).abs());
    Some((apart.sum::<f64>() / 2.0).min(1.0))
}
