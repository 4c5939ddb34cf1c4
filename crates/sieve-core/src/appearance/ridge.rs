//! Ridge regression as a classifier, every image judged by what was learned from all others.
//!
//! The prediction for an image without it follows from the one with it: `(p - h y) / (1 - h)`, where `h` is how much an image
//! pulls on its own prediction (Allen, The relationship between variable selection and data augmentation and a method for
//! prediction, 1974). So nothing is learned twice.

use rayon::prelude::*;

use crate::numeric::{Square, Table, dot};

/// What each row is predicted to be without itself.
#[derive(Clone, Debug)]
pub struct Ridge {
    classes: usize,
    /// For each row a value for each class: near 1 for the class that it is of, near -1 for the others.
    scores: Vec<f32>,
}

/// How strongly large weights are held down: the one of these by which rows are predicted best. Columns are standardised, so
/// these are in units of images.
const STRENGTHS: [f64; 5] = [1.0, 10.0, 100.0, 1000.0, 10000.0];
/// Keeps the constant free and the matrix positive definite.
const FREE: f64 = 1e-6;

impl Ridge {
    /// Learns to tell the classes apart; `class_of` are the classes of the rows.
    pub fn new(table: &Table, class_of: &[u32], classes: usize) -> Self {
        let side = table.width + 1;
        let mut gram = Square::zeros(side);
        let mut targets = vec![0.0f64; classes * side];
        let mut sums = vec![0.0f64; side];
        let mut wide = vec![1.0f64; side];
        for (row, &class) in table.rows().zip(class_of) {
            widen(&mut wide, row);
            gram.add_outer(&wide, 1.0);
            let into = &mut targets[class as usize * side..][..side];
            into.iter_mut().zip(&wide).for_each(|(sum, value)| *sum += 2.0 * value);
            sums.iter_mut().zip(&wide).for_each(|(sum, value)| *sum += value);
        }
        // Rows of the class count 1, all others -1.
        for target in targets.chunks_exact_mut(side) {
            target.iter_mut().zip(&sums).for_each(|(target, sum)| *target -= sum);
        }
        let mut best: Option<(f64, Ridge)> = None;
        for strength in STRENGTHS {
            let Some(inverse) = held_down(&gram, strength).inverse() else { continue };
            let weights: Vec<Vec<f64>> =
                targets.chunks_exact(side).map(|target| inverse.times(target)).collect();
            let mut scores = vec![0.0f32; class_of.len() * classes];
            let rows = scores.par_chunks_mut(classes.max(1)).zip(class_of);
            let errors: Vec<f64> = rows
                .enumerate()
                .map_with(wide.clone(), |wide, (at, (scores, &class))| {
                    widen(wide, table.row(at));
                    let pull = dot(wide, &inverse.times(wide)).min(1.0 - 1e-9);
                    let mut errors = 0.0;
                    for (at, (score, weights)) in scores.iter_mut().zip(&weights).enumerate() {
                        let target = if at == class as usize { 1.0 } else { -1.0 };
                        let without = (dot(wide, weights) - pull * target) / (1.0 - pull);
                        errors += (target - without) * (target - without);
                        *score = without as f32;
                    }
                    errors
                })
                .collect();
            let errors: f64 = errors.iter().sum();
            if best.as_ref().is_none_or(|(least, _)| errors < *least) {
                best = Some((errors, Ridge { classes, scores }));
            }
        }
        best.map_or(Ridge { classes, scores: vec![0.0; class_of.len() * classes] }, |(_, best)| {
            best
        })
    }

    /// How much more a row looks like its own class than like the nearest other one, and the number of that; none without
    /// another class.
    pub fn margin(&self, row: usize, class: u32) -> Option<(f32, u32)> {
        let scores = &self.scores[row * self.classes..][..self.classes];
        let others = (0..self.classes as u32).filter(|&other| other != class);
        let score = |class: u32| scores[class as usize];
        // The first of equals.
        let nearest = others.rev().max_by(|&a, &b| score(a).total_cmp(&score(b)))?;
        Some((score(class) - score(nearest), nearest))
    }
}

/// One class against all others, both counting as much: for each row what it is predicted to be without itself, above 0 for the
/// class. Values and their squares count, so that a class may lie between the others. The columns should be standardised.
pub fn balanced_scores(table: &Table, is_in: &[bool], strength: f64) -> Option<Vec<f64>> {
    let side = 2 * table.width + 1;
    let inside = is_in.iter().filter(|is| **is).count() as f64;
    let weights = [true, false].map(|is| {
        let count = if is { inside } else { is_in.len() as f64 - inside };
        is_in.len() as f64 / (2.0 * count)
    });
    let (mut gram, mut target) = (Square::zeros(side), vec![0.0f64; side]);
    let mut wide = vec![1.0f64; side];
    let sign = |is: bool| if is { (1.0, weights[0]) } else { (-1.0, weights[1]) };
    for (row, &is) in table.rows().zip(is_in) {
        widen_with_squares(&mut wide, row);
        let (sign, weight) = sign(is);
        gram.add_outer(&wide, weight);
        target.iter_mut().zip(&wide).for_each(|(sum, value)| *sum += sign * weight * value);
    }
    let inverse = held_down(&gram, strength).inverse()?;
    let learned = inverse.times(&target);
    let scores = table.rows().zip(is_in).map(|(row, &is)| {
        widen_with_squares(&mut wide, row);
        let (sign, weight) = sign(is);
        let pull = (weight * dot(&wide, &inverse.times(&wide))).min(1.0 - 1e-9);
        (dot(&wide, &learned) - pull * sign) / (1.0 - pull)
    });
    Some(scores.collect())
}

fn held_down(gram: &Square, strength: f64) -> Square {
    let mut held = gram.clone();
    for at in 0..held.side {
        held.values[at * held.side + at] += if at == 0 { FREE } else { strength };
    }
    held
}

/// A constant and the values of a row.
fn widen(wide: &mut [f64], row: &[f32]) {
    wide[1..].iter_mut().zip(row).for_each(|(wide, &value)| *wide = f64::from(value));
}

/// A constant, the values of a row, and their squares less what they are on average.
fn widen_with_squares(wide: &mut [f64], row: &[f32]) {
    let (values, squares) = wide[1..].split_at_mut(row.len());
    for ((value, square), &own) in values.iter_mut().zip(squares).zip(row) {
        (*value, *square) = (f64::from(own), f64::from(own) * f64::from(own) - 1.0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Rows of two classes around -1 and 1, with numbers that say nothing beside.
    fn rows(count: u32) -> (Table, Vec<u32>) {
        let noise = |at: u32| (at.wrapping_mul(0x9e37_79b1) >> 8) as f32 / (1 << 24) as f32 - 0.5;
        let row = |at: u32| {
            let side = if at.is_multiple_of(2) { -1.0 } else { 1.0 };
            [side + noise(at), noise(at + 1000), noise(at + 2000)]
        };
        (Table::of_rows((0..count).map(row)).standardised(), (0..count).map(|at| at % 2).collect())
    }

    #[test]
    fn each_row_is_predicted_without_itself() {
        let (table, class_of) = rows(30);
        let ridge = Ridge::new(&table, &class_of, 2);
        assert!((0..30).all(|row| ridge.margin(row, class_of[row]).unwrap().0 > 0.5));
        // A row that is filed under the wrong class stands out, and says which is the right one.
        let mut wrong = class_of.clone();
        wrong[7] = 0;
        let ridge = Ridge::new(&table, &wrong, 2);
        let (margin, other) = ridge.margin(7, 0).unwrap();
        assert!(margin < -0.5 && other == 1, "{margin} {other}");
        assert!(Ridge::new(&table, &[0; 30], 1).margin(0, 0).is_none());
    }

    #[test]
    fn the_short_cut_is_what_leaving_out_gives() {
        let (table, class_of) = rows(16);
        let is_in: Vec<bool> = class_of.iter().map(|class| *class == 1).collect();
        let fast = balanced_scores(&table, &is_in, 2.0).unwrap();
        for left_out in 0..16u32 {
            // Learned without the row, its own prediction is that of the short cut: the row counts nothing.
            let others: Vec<u32> = (0..16).filter(|at| *at != left_out).collect();
            let rest: Vec<bool> = others.iter().map(|&at| is_in[at as usize]).collect();
            let slow =
                slow_score(&table.only(&others), &rest, table.row(left_out as usize), &is_in);
            let value = fast[left_out as usize];
            assert!((slow - value).abs() < 1e-6, "{slow} {value}");
        }
    }

    /// What is learned from `table` with the weights of the whole, applied to a row.
    fn slow_score(table: &Table, is_in: &[bool], row: &[f32], whole: &[bool]) -> f64 {
        let inside = whole.iter().filter(|is| **is).count() as f64;
        let all = whole.len() as f64;
        let mut gram = Square::zeros(2 * table.width + 1);
        let mut target = vec![0.0; gram.side];
        let mut wide = vec![1.0; gram.side];
        for (row, &is) in table.rows().zip(is_in) {
            widen_with_squares(&mut wide, row);
            let count = if is { inside } else { all - inside };
            let (sign, weight) = (if is { 1.0 } else { -1.0 }, all / (2.0 * count));
            gram.add_outer(&wide, weight);
            target.iter_mut().zip(&wide).for_each(|(sum, value)| *sum += sign * weight * value);
        }
        widen_with_squares(&mut wide, row);
        dot(&wide, &held_down(&gram, 2.0).inverse().unwrap().times(&target))
    }
}
