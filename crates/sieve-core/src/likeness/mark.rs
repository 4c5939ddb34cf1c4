//! One mark on a copy: a patch in which two pictures have nothing in common, while all else is the same.
//!
//! Another hour on a clock, another mouth on a face differ in thin lines; another colour leaves the lines as they are.
//! What was laid over a picture covers one patch, and covers it wholly.

use super::blocks::{Block, Grid};

/// The side of the window that a mark must lie in, as a share of the picture's, before it is rounded up to blocks.
const WINDOW: f32 = 0.36;
/// Blocks along a side from which a mark can be told from a line.
const LEAST_SIDE: usize = 8;
/// The share of a picture that a mark spoils, at least; the share of the smallest rectangle around the spoilt blocks
/// that these are; and the share of these that show something else altogether.
const LEAST_SPOILT: f32 = 0.05;
const LEAST_FILLED: f32 = 0.8;
const LEAST_OTHER: f32 = 0.7;
/// The share of the samples of these blocks that are of another level, at least: hands of clocks and lines leave most.
const LEAST_REPAINTED: f32 = 0.45;
/// Beyond the window: the share of a picture in which there is something to see, the share of that which fits, at
/// least, and the share of all that is plain and of another colour, at most.
const LEAST_CLEAR: f32 = 0.25;
const LEAST_FITTING: f32 = 0.98;
const MOST_RECOLOURED: f32 = 0.01;

/// Whether the blocks of two pictures fit but for one mark.
pub fn differ_by_a_mark(grid: &Grid) -> bool {
    let side = grid.side;
    if side < LEAST_SIDE {
        return false;
    }
    let window = (WINDOW * side as f32).ceil() as usize;
    let is_within = |at: usize, (top, left): (usize, usize)| {
        (top..top + window).contains(&(at / side)) && (left..left + window).contains(&(at % side))
    };
    let spoilt: Vec<usize> = (0..side * side).filter(|&at| !grid.blocks[at].fits()).collect();
    let places = 0..=side - window;
    let corners = places.clone().flat_map(|top| places.clone().map(move |left| (top, left)));
    let count =
        |&corner: &(usize, usize)| spoilt.iter().filter(|&&at| is_within(at, corner)).count();
    // Of equals the last one, as good as any.
    let Some(corner) = corners.max_by_key(count) else { return false };
    let mark: Vec<usize> = spoilt.iter().copied().filter(|&at| is_within(at, corner)).collect();
    let beyond = (0..side * side).filter(|&at| !is_within(at, corner));
    is_covered(grid, &mark) && is_the_same(grid, beyond)
}

/// Whether these blocks are one patch that shows something else.
fn is_covered(grid: &Grid, spoilt: &[usize]) -> bool {
    let span = |place: fn(usize, usize) -> usize| {
        let places = spoilt.iter().map(|&at| place(at, grid.side));
        let most = places.clone().max().map_or(0, |most| most + 1);
        (most - places.min().unwrap_or(0)) as f32
    };
    let around = span(|at, side| at / side) * span(|at, side| at % side);
    let (count, all) = (spoilt.len() as f32, grid.blocks.len() as f32);
    let other = spoilt.iter().filter(|&&at| grid.blocks[at].is_other()).count() as f32;
    let repainted = spoilt.iter().map(|&at| grid.repainted[at]).sum::<f32>();
    count >= LEAST_SPOILT * all
        && count >= LEAST_FILLED * around
        && other >= LEAST_OTHER * count
        && repainted >= LEAST_REPAINTED * count
}

/// Whether these blocks are the same, and show enough to say so.
fn is_the_same(grid: &Grid, beyond: impl Iterator<Item = usize>) -> bool {
    let (mut clear, mut fitting, mut plain, mut recoloured) = (0.0f32, 0.0f32, 0.0f32, 0.0f32);
    for at in beyond {
        let block = grid.blocks[at];
        let fits = if block.fits() { 1.0 } else { 0.0 };
        match block {
            Block::Off => {}
            Block::Clear(_) => (clear, fitting) = (clear + 1.0, fitting + fits),
            Block::Plain(_) => (plain, recoloured) = (plain + 1.0, recoloured + 1.0 - fits),
        }
    }
    clear >= LEAST_CLEAR * grid.blocks.len() as f32
        && fitting >= LEAST_FITTING * clear
        && recoloured <= MOST_RECOLOURED * (clear + plain)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What lies on a picture of 12 x 12 blocks: every other one shows something and fits, the others are plain.
    fn with(mark: impl Fn(usize, usize) -> Option<Block>) -> Grid {
        let block = |at: usize| {
            let (row, column) = (at / 12, at % 12);
            let usual =
                if (row + column) % 2 == 0 { Block::Clear(0.97) } else { Block::Plain(0.5) };
            mark(row, column).unwrap_or(usual)
        };
        let blocks: Vec<Block> = (0..144).map(block).collect();
        let repainted = blocks.iter().map(|block| if block.fits() { 0.0 } else { 0.7 }).collect();
        Grid { side: 12, blocks, repainted }
    }

    #[test]
    fn a_patch_is_a_mark_and_lines_colours_and_other_pictures_are_none() {
        let other = Some(Block::Clear(0.1));
        let patch = |row: usize, column: usize| row < 3 && column > 8;
        assert!(differ_by_a_mark(&with(|row, column| other.filter(|_| patch(row, column)))));
        let none: [(&str, Grid); 8] = [
            ("nothing", with(|_, _| None)),
            ("a line", with(|row, column| other.filter(|_| row < 3 && column == 8 + row))),
            ("a hand of a clock", with(|row, column| other.filter(|_| row == column && row < 5))),
            ("a dot", with(|row, column| other.filter(|_| row < 2 && column < 2))),
            (
                "two patches",
                with(|row, column| other.filter(|_| patch(row, column) || patch(column, row))),
            ),
            (
                "what still fits a little",
                with(|row, column| patch(row, column).then_some(Block::Clear(0.6))),
            ),
            (
                "another ground",
                with(|row, column| match patch(row, column) {
                    true => other,
                    false => Some(Block::Plain(20.0)).filter(|_| (row + column) % 2 == 1),
                }),
            ),
            (
                "plain ground",
                with(|row, column| match patch(row, column) {
                    true => other,
                    false => Some(Block::Plain(0.5)).filter(|_| column > 3),
                }),
            ),
        ];
        let mut thin = with(|row, column| other.filter(|_| patch(row, column)));
        thin.repainted.iter_mut().for_each(|share| *share /= 2.0);
        assert!(!differ_by_a_mark(&thin), "lines that cross every block");
        for (what, grid) in none {
            assert!(!differ_by_a_mark(&grid), "{what}");
        }
    }
}
