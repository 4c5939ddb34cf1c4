//! Small symmetric matrices: solved, inverted, taken apart into their directions.

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;

/// A square matrix, row-major.
#[derive(Clone, Debug)]
pub struct Square {
    /// Rows and columns.
    pub side: usize,
    /// Its values.
    pub values: Vec<f64>,
}

impl Square {
    /// All zeros.
    pub fn zeros(side: usize) -> Self {
        Square { side, values: vec![0.0; side * side] }
    }

    /// Adds `weight` times the outer product of a row with itself, to the lower triangle.
    pub fn add_outer(&mut self, row: &[f64], weight: f64) {
        for (at, &value) in row.iter().enumerate() {
            let scaled = value * weight;
            let into = &mut self.values[at * self.side..][..=at];
            into.iter_mut().zip(row).for_each(|(sum, other)| *sum += scaled * other);
        }
    }

    /// Copies the lower triangle to the upper one.
    pub fn mirror(&mut self) {
        for row in 0..self.side {
            for column in 0..row {
                self.values[column * self.side + row] = self.values[row * self.side + column];
            }
        }
    }

    fn row(&self, at: usize) -> &[f64] {
        &self.values[at * self.side..][..self.side]
    }

    /// The product with a vector.
    pub fn times(&self, vector: &[f64]) -> Vec<f64> {
        (0..self.side).map(|at| dot(self.row(at), vector)).collect()
    }

    /// The inverse of a positive definite matrix, of which the lower triangle counts (Cholesky); none where it is not
    /// positive definite.
    pub fn inverse(&self) -> Option<Self> {
        let side = self.side;
        let mut lower = Square::zeros(side);
        for row in 0..side {
            for column in 0..=row {
                let known = dot(&lower.row(row)[..column], &lower.row(column)[..column]);
                let rest = self.values[row * side + column] - known;
                lower.values[row * side + column] = if row == column {
                    if rest <= 0.0 || !rest.is_finite() {
                        return None;
                    }
                    rest.sqrt()
                } else {
                    rest / lower.values[column * side + column]
                };
            }
        }
        // Columns of the inverse of the triangle, then their products.
        let mut inverse = Square::zeros(side);
        for column in 0..side {
            for row in column..side {
                let known: f64 = (column..row)
                    .map(|at| lower.values[row * side + at] * inverse.values[column * side + at])
                    .sum();
                let unit = f64::from(u8::from(row == column));
                inverse.values[column * side + row] =
                    (unit - known) / lower.values[row * side + row];
            }
        }
        // Row `i` of `inverse` holds column `i` of the inverse triangle, whose values begin at `i`.
        let mut whole = Square::zeros(side);
        for row in 0..side {
            for column in 0..=row {
                let (a, b) = (&inverse.row(row)[row..], &inverse.row(column)[row..]);
                let value = dot(a, b);
                whole.values[row * side + column] = value;
                whole.values[column * side + row] = value;
            }
        }
        Some(whole)
    }

    /// The directions in which a symmetric matrix only stretches, the strongest first, as rows (cyclic Jacobi rotations:
    /// Golub and Van Loan, Matrix Computations, 8.5).
    pub fn directions(mut self) -> Vec<Vec<f64>> {
        const SWEEPS: usize = 30;
        let side = self.side;
        let mut turned = Square::zeros(side);
        (0..side).for_each(|at| turned.values[at * side + at] = 1.0);
        let all: f64 = self.values.iter().map(|value| value * value).sum();
        for _ in 0..SWEEPS {
            let mut off = 0.0;
            for p in 0..side {
                for q in p + 1..side {
                    let value = self.values[p * side + q];
                    off += value * value;
                    if value * value > 1e-30 * all {
                        self.rotate(&mut turned, p, q);
                    }
                }
            }
            if off <= 1e-22 * all {
                break;
            }
        }
        let mut order: Vec<usize> = (0..side).collect();
        let stretch = |at: usize| self.values[at * side + at];
        order.sort_by(|&a, &b| stretch(b).total_cmp(&stretch(a)));
        order.iter().map(|&at| turned.row(at).to_vec()).collect()
    }

    /// The first `count` of these, of a large matrix: rows drawn at random are multiplied with it until they span what it
    /// stretches most, and it is taken apart within that span (Halko, Martinsson and Tropp, Finding structure with randomness,
    /// 2011, algorithm 4.4).
    pub fn leading_directions(&self, count: usize) -> Vec<Vec<f64>> {
        const ROUNDS: usize = 8;
        const SPARE: usize = 16;
        let spanned = (count + SPARE).min(self.side);
        let mut rng = ChaCha8Rng::seed_from_u64(self.side as u64);
        let mut span: Vec<Vec<f64>> = (0..spanned)
            .map(|_| (0..self.side).map(|_| rng.random_range(-1.0..1.0)).collect())
            .collect();
        for _ in 0..ROUNDS {
            span = span.par_iter().map(|row| self.times(row)).collect();
            make_orthonormal(&mut span);
        }
        let images: Vec<Vec<f64>> = span.par_iter().map(|row| self.times(row)).collect();
        let values = span.iter().flat_map(|row| images.iter().map(|image| dot(row, image)));
        let within = Square { side: span.len(), values: values.collect() };
        let combined = |weights: Vec<f64>| {
            let mut sum = vec![0.0; self.side];
            for (row, weight) in span.iter().zip(weights) {
                sum.iter_mut().zip(row).for_each(|(sum, value)| *sum += weight * value);
            }
            sum
        };
        within.directions().into_iter().take(count).map(combined).collect()
    }

    /// Turns the directions `p` and `q` so that they have nothing in common; `turned` holds the directions as rows.
    fn rotate(&mut self, turned: &mut Square, p: usize, q: usize) {
        let side = self.side;
        let at = |row: usize, column: usize| row * side + column;
        let (pp, qq, pq) = (self.values[at(p, p)], self.values[at(q, q)], self.values[at(p, q)]);
        let theta = (qq - pp) / (2.0 * pq);
        let tangent = theta.signum() / (theta.abs() + (theta * theta + 1.0).sqrt());
        let tangent = if theta == 0.0 { 1.0 } else { tangent };
        let cosine = 1.0 / (tangent * tangent + 1.0).sqrt();
        let sine = tangent * cosine;
        for k in 0..side {
            let (a, b) = (self.values[at(k, p)], self.values[at(k, q)]);
            self.values[at(k, p)] = cosine * a - sine * b;
            self.values[at(k, q)] = sine * a + cosine * b;
        }
        for k in 0..side {
            let (a, b) = (self.values[at(p, k)], self.values[at(q, k)]);
            self.values[at(p, k)] = cosine * a - sine * b;
            self.values[at(q, k)] = sine * a + cosine * b;
            let (a, b) = (turned.values[at(p, k)], turned.values[at(q, k)]);
            turned.values[at(p, k)] = cosine * a - sine * b;
            turned.values[at(q, k)] = sine * a + cosine * b;
        }
    }
}

/// Makes rows unit vectors at right angles (Gram and Schmidt, each twice, as rounding asks for); rows that depend on those
/// before are dropped.
fn make_orthonormal(rows: &mut Vec<Vec<f64>>) {
    let mut done: Vec<Vec<f64>> = Vec::with_capacity(rows.len());
    for mut row in rows.drain(..) {
        let before = dot(&row, &row).sqrt();
        for _ in 0..2 {
            for other in &done {
                let common = dot(&row, other);
                row.iter_mut().zip(other).for_each(|(value, other)| *value -= common * other);
            }
        }
        let length = dot(&row, &row).sqrt();
        if length > 1e-10 * before {
            row.iter_mut().for_each(|value| *value /= length);
            done.push(row);
        }
    }
    *rows = done;
}

/// The sum of products, in four lanes.
pub fn dot(a: &[f64], b: &[f64]) -> f64 {
    let (a, rest_a) = a.as_chunks::<4>();
    let (b, rest_b) = b.as_chunks::<4>();
    let mut sums = [0.0f64; 4];
    for (a, b) in a.iter().zip(b) {
        (0..4).for_each(|lane| sums[lane] += a[lane] * b[lane]);
    }
    let rest: f64 = rest_a.iter().zip(rest_b).map(|(a, b)| a * b).sum();
    (sums[0] + sums[2]) + (sums[1] + sums[3]) + rest
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// A symmetric matrix that is positive definite.
    fn matrices() -> impl Strategy<Value = Square> {
        (1usize..9).prop_flat_map(|side| {
            prop::collection::vec(-3.0f64..3.0, side * (side + 2)).prop_map(move |values| {
                let mut matrix = Square::zeros(side);
                values.chunks_exact(side).for_each(|row| matrix.add_outer(row, 0.7));
                (0..side).for_each(|at| matrix.values[at * side + at] += 0.1);
                matrix.mirror();
                matrix
            })
        })
    }

    proptest! {
        #[test]
        fn an_inverse_undoes_its_matrix(matrix in matrices(), seed in prop::collection::vec(-2.0f64..2.0, 9)) {
            let inverse = matrix.inverse().unwrap();
            let vector = &seed[..matrix.side];
            let again = inverse.times(&matrix.times(vector));
            for (value, expected) in again.iter().zip(vector) {
                prop_assert!((value - expected).abs() < 1e-6, "{:?} of {:?}", again, vector);
            }
        }

        #[test]
        fn directions_are_at_right_angles_and_only_stretched(matrix in matrices()) {
            let directions = matrix.clone().directions();
            let mut last = f64::INFINITY;
            for (at, direction) in directions.iter().enumerate() {
                let image = matrix.times(direction);
                let stretch = dot(&image, direction);
                prop_assert!(stretch <= last + 1e-9);
                last = stretch;
                for (value, own) in image.iter().zip(direction) {
                    prop_assert!((value - stretch * own).abs() < 1e-6);
                }
                for (other, another) in directions.iter().enumerate() {
                    let expected = f64::from(u8::from(at == other));
                    prop_assert!((dot(direction, another) - expected).abs() < 1e-9);
                }
            }
        }
    }

    #[test]
    fn leading_directions_are_the_first_of_all() {
        // A few directions that differ by a factor, and noise.
        let mut matrix = Square::zeros(60);
        for at in 0..200usize {
            let noise = |column: usize| ((at * 61 + column * 17) % 101) as f64 / 101.0 - 0.5;
            let row: Vec<f64> = (0..60)
                .map(|column| {
                    let strong = if column < 6 { 20.0 / (column + 1) as f64 } else { 0.2 };
                    strong * noise(column)
                })
                .collect();
            matrix.add_outer(&row, 1.0);
        }
        matrix.mirror();
        let all = matrix.clone().directions();
        let leading = matrix.leading_directions(4);
        assert_eq!(leading.len(), 4);
        for (found, exact) in leading.iter().zip(&all) {
            assert!((dot(found, exact).abs() - 1.0).abs() < 1e-9, "{}", dot(found, exact));
        }
        // A matrix of one direction has no second one.
        let mut single = Square::zeros(40);
        single.add_outer(&vec![1.0; 40], 1.0);
        single.mirror();
        assert_eq!(single.leading_directions(4).len(), 1);
        assert!(Square::zeros(40).leading_directions(4).is_empty());
    }

    #[test]
    fn what_is_not_positive_definite_has_no_inverse() {
        let flat = Square { side: 2, values: vec![1.0, 1.0, 1.0, 1.0] };
        assert!(flat.inverse().is_none());
        assert!(Square { side: 1, values: vec![f64::NAN] }.inverse().is_none());
    }
}
