//! A confusion matrix: rows of true classes, columns of predicted ones; of very many classes those that are confused most.

use plotters::prelude::DrawingBackend;

use super::bars::short;
use super::paper::{Chart, LETTERS, MARGIN, Page, Side, WIDTH, Wrong};
use crate::present::sheet::{INK, PALE, PAPER};

/// A confusion matrix.
#[derive(Clone, Debug)]
pub struct Matrix {
    /// The line at the top.
    pub title: String,
    /// What stands below it.
    pub below: String,
    /// The classes.
    pub classes: Vec<String>,
    /// For each true class the images that were taken for each.
    pub counts: Vec<Vec<u64>>,
}

/// Classes that are shown one by one: more do not fit a page with their names.
const MOST: usize = 40;
/// Classes that are shown of more: those of the most confused pairs.
const SHOWN: usize = 32;
/// Columns for labels.
const LABELS: i32 = 250;
/// Height of what stands above the rows.
const HEAD: i32 = 100;
/// The side of a cell, at most.
const CELL: i32 = 44;
/// The shade of a whole row that is right, and of one that is wrong.
const RIGHT: [u8; 3] = [32, 92, 72];
const WRONG: [u8; 3] = [176, 60, 32];

impl Matrix {
    /// The classes that are shown, by their places, and whether others are summed up.
    fn shown(&self) -> (Vec<usize>, bool) {
        let count = self.classes.len();
        if count <= MOST {
            return ((0..count).collect(), false);
        }
        let mut pairs: Vec<(u64, usize, usize)> = Vec::new();
        for (class, row) in self.counts.iter().enumerate() {
            let others =
                row.iter().enumerate().filter(|&(other, &count)| other != class && count > 0);
            pairs.extend(others.map(|(other, &count)| (count, class, other)));
        }
        pairs.sort_by_key(|&(count, class, other)| (std::cmp::Reverse(count), class, other));
        let mut shown: Vec<usize> = Vec::new();
        for class in pairs.into_iter().flat_map(|(_, class, other)| [class, other]) {
            if shown.len() < SHOWN && !shown.contains(&class) {
                shown.push(class);
            }
        }
        shown.sort_unstable();
        (shown, true)
    }

    fn cell(&self) -> i32 {
        let (shown, has_others) = self.shown();
        let columns = shown.len() as i32 + i32::from(has_others);
        ((WIDTH as i32 - 2 * MARGIN - LABELS) / columns.max(1)).min(CELL)
    }
}

/// A colour between the page and `full`.
fn shade(share: f64, full: [u8; 3]) -> [u8; 3] {
    // The root lets a share of a hundredth still be seen.
    let part = share.sqrt();
    std::array::from_fn(|at| {
        (f64::from(PAPER[at]) * (1.0 - part) + f64::from(full[at]) * part).round() as u8
    })
}

impl Chart for Matrix {
    fn height(&self) -> u32 {
        (HEAD + self.shown().0.len() as i32 * self.cell() + MARGIN + 24) as u32
    }

    fn draw<B: DrawingBackend>(&self, page: &Page<'_, B>) -> Result<(), Wrong<B>> {
        page.head(&self.title, &self.below)?;
        let (shown, has_others) = self.shown();
        let cell = self.cell();
        let left = MARGIN + LABELS;
        let middle = |at: usize| left + at as i32 * cell + cell / 2;
        for (column, class) in shown.iter().enumerate() {
            let number = (class + 1).to_string();
            let half = 4 * number.len() as i32;
            page.write(
                &number,
                (middle(column) - half, HEAD - 14),
                Side::Right,
                LETTERS,
                false,
                PALE,
            )?;
        }
        if has_others {
            page.write(
                "others",
                (middle(shown.len()) - 20, HEAD - 30),
                Side::Right,
                12,
                false,
                PALE,
            )?;
        }
        for (row, &class) in shown.iter().enumerate() {
            let y = HEAD + row as i32 * cell;
            let label = format!("{} {}", class + 1, short(&self.classes[class]));
            page.write(&label, (left - 10, y + cell / 2), Side::Left, LETTERS, false, INK)?;
            let of: u64 = self.counts[class].iter().sum();
            let mut values: Vec<(u64, bool)> =
                shown.iter().map(|&other| (self.counts[class][other], other == class)).collect();
            if has_others {
                let listed: u64 = values.iter().map(|(count, _)| count).sum();
                values.push((of - listed, false));
            }
            for (column, (count, is_right)) in values.into_iter().enumerate() {
                let share = if of == 0 { 0.0 } else { count as f64 / of as f64 };
                let x = left + column as i32 * cell;
                let full = if is_right { RIGHT } else { WRONG };
                page.fill(x, y, cell - 1, cell - 1, shade(share, full))?;
                if count > 0 {
                    let text = count.to_string();
                    let ink = if share > 0.4 { PAPER } else { INK };
                    let at = (middle(column) - 4 * text.len() as i32, y + cell / 2);
                    page.write(&text, at, Side::Right, LETTERS.min(cell - 8), false, ink)?;
                }
            }
        }
        if has_others {
            let text = format!(
                "The {} classes of the most confused pairs, of {}.",
                shown.len(),
                self.classes.len()
            );
            let y = HEAD + shown.len() as i32 * cell + 14;
            page.write(&text, (left, y), Side::Right, LETTERS, false, PALE)?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_many_classes_those_of_the_most_confused_pairs_are_shown() {
        let count = 50;
        let mut counts: Vec<Vec<u64>> = (0..count)
            .map(|row| (0..count).map(|column| u64::from(row == column) * 9).collect())
            .collect();
        counts[40][7] = 5;
        let classes = (0..count).map(|at| format!("herb {at}")).collect();
        let matrix = Matrix { title: String::new(), below: String::new(), classes, counts };
        let (shown, has_others) = matrix.shown();
        assert!(has_others);
        assert_eq!(shown, [7, 40]);
        assert_eq!(shade(0.0, WRONG), PAPER);
        assert_eq!(shade(1.0, WRONG), WRONG);
    }
}
