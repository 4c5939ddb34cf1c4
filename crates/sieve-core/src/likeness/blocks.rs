//! How small blocks of two pictures fit, each on its own.

use super::eight::LANES;

/// Samples along each side of a block.
const BLOCK: usize = LANES;
/// A block of which less than this lies on both pictures does not count.
const LEAST_INSIDE: f32 = 0.75;
/// Correlations from which a block fits, and below which it does not.
const AGREEING: f32 = 0.8;
const DISAGREEING: f32 = 0.4;
/// Levels that plain blocks are apart at most: one that is another colour need not outweigh all others.
const MOST_APART: f32 = 40.0;
/// Levels by which plain blocks are of another colour.
const PLAINLY_APART: f32 = 8.0;

/// Levels by which a sample is another one.
const REPAINTED: f32 = 16.0;

/// What is asked of blocks: the variance, in square levels, from which there is something to see in one of both,
/// the variance that is put down to chance, and the level that values vary around.
#[derive(Clone, Copy)]
struct Terms {
    worth: f32,
    chance: f32,
    around: f32,
}

/// What is found in one block.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Block {
    /// It does not lie on both pictures.
    Off,
    /// There is something to see in one of both: their correlation, -1 to 1.
    Clear(f32),
    /// Both are plain: how far their means are apart, in levels.
    Plain(f32),
}

impl Block {
    /// Whether both show the same there.
    pub fn fits(self) -> bool {
        match self {
            Block::Off => true,
            Block::Clear(correlation) => correlation > AGREEING,
            Block::Plain(apart) => apart <= PLAINLY_APART,
        }
    }

    /// Whether they show something else.
    pub fn is_other(self) -> bool {
        match self {
            Block::Off => false,
            Block::Clear(correlation) => correlation < DISAGREEING,
            Block::Plain(apart) => apart > PLAINLY_APART,
        }
    }
}

/// The blocks of two pictures, row by row.
#[derive(Clone, Debug, PartialEq)]
pub struct Grid {
    /// Blocks along each side.
    pub side: usize,
    /// One for each.
    pub blocks: Vec<Block>,
    /// The share of the samples of each that are of another level, 0 to 1.
    pub repainted: Vec<f32>,
}

impl Grid {
    /// Of `side` x `side` samples of two pictures, `side` a multiple of eight; `inside` is 1 where a sample lies
    /// on both.
    #[inline(always)]
    pub fn of(pictures: [&[f32]; 2], inside: &[f32], side: usize) -> Self {
        Grid::on(Terms { worth: 16.0, chance: 4.0, around: 128.0 }, pictures, inside, side)
    }

    /// Of their fine details, which vary around zero.
    #[inline(always)]
    pub fn of_details(details: [&[f32]; 2], inside: &[f32], side: usize) -> Self {
        Grid::on(Terms { worth: 4.0, chance: 1.0, around: 0.0 }, details, inside, side)
    }

    #[inline(always)]
    fn on(terms: Terms, [a, b]: [&[f32]; 2], inside: &[f32], side: usize) -> Self {
        let count = side / BLOCK;
        let mut blocks = Vec::with_capacity(count * count);
        let mut repainted = Vec::with_capacity(count * count);
        for at in 0..count * count {
            let (top, left) = (at / count * BLOCK, at % count * BLOCK);
            let mut sums = [[0.0f32; BLOCK]; 7];
            for row in top..top + BLOCK {
                let line = row * side + left..row * side + left + BLOCK;
                let (a, b, inside) = (&a[line.clone()], &b[line.clone()], &inside[line]);
                for lane in 0..BLOCK {
                    let weight = inside[lane];
                    let (x, y) = (a[lane] - terms.around, b[lane] - terms.around);
                    sums[0][lane] += weight;
                    sums[1][lane] += weight * x;
                    sums[2][lane] += weight * y;
                    sums[3][lane] += weight * x * x;
                    sums[4][lane] += weight * y * y;
                    sums[5][lane] += weight * x * y;
                    sums[6][lane] += if (x - y).abs() > REPAINTED { weight } else { 0.0 };
                }
            }
            let [weight, x, y, xx, yy, xy, other] = sums.map(|lanes| lanes.iter().sum::<f32>());
            repainted.push(other / weight.max(1.0));
            if weight < LEAST_INSIDE * (BLOCK * BLOCK) as f32 {
                blocks.push(Block::Off);
                continue;
            }
            let within = |sum: f32, a: f32, b: f32| (sum - a * b / weight) / weight;
            let (aa, bb) = (within(xx, x, x).max(0.0), within(yy, y, y).max(0.0));
            blocks.push(if aa.max(bb) > terms.worth {
                let varies = ((aa + terms.chance) * (bb + terms.chance)).sqrt();
                Block::Clear(within(xy, x, y) / varies)
            } else {
                Block::Plain(((x - y) / weight).abs())
            });
        }
        Grid { side: count, blocks, repainted }
    }
}

/// How the blocks of two pictures fit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Blocks {
    /// The mean of the correlations of the blocks in which there is something to see, -1 to 1.
    pub mean: f32,
    /// The correlation below which half of these lie.
    pub median: f32,
    /// That below which a quarter of these lie.
    pub quarter: f32,
    /// The share of these that fit, 0 to 1.
    pub agreeing: f32,
    /// The share that do not.
    pub disagreeing: f32,
    /// The share of all blocks in which there is something to see.
    pub clear: f32,
    /// How far the means of the others are apart, in levels.
    pub apart: f32,
}

impl Blocks {
    /// Of all in `grid`.
    pub fn of(grid: &Grid) -> Self {
        let (mut found, mut plain, mut apart) = (Vec::new(), 0.0f32, 0.0f32);
        for block in &grid.blocks {
            match *block {
                Block::Off => {}
                Block::Clear(correlation) => found.push(correlation),
                Block::Plain(levels) => {
                    plain += 1.0;
                    apart += levels.min(MOST_APART);
                }
            }
        }
        found.sort_unstable_by(f32::total_cmp);
        let clear = found.len() as f32;
        let share = |count: usize| count as f32 / clear.max(1.0);
        let at = |place: usize| found.get(place).copied().unwrap_or(0.0);
        Blocks {
            mean: found.iter().sum::<f32>() / clear.max(1.0),
            median: at(found.len() / 2),
            quarter: at(found.len() / 4),
            agreeing: share(found.iter().filter(|value| **value > AGREEING).count()),
            disagreeing: share(found.iter().filter(|value| **value < DISAGREEING).count()),
            clear: clear / (clear + plain).max(1.0),
            apart: apart / plain.max(1.0),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_fit_each_on_its_own() {
        const SIDE: usize = 32;
        let wave = |at: usize| 128.0 + 30.0 * ((at % SIDE) as f32 / 2.0).sin() + (at / SIDE) as f32;
        // Of 4 x 4 blocks the first is upside down, the second plain in both and 10 levels apart, the third
        // only in part on the other, and all others are the same, darker and with less contrast.
        let level = |at: usize, second: bool| match (at / SIDE / 8, at % SIDE / 8) {
            (0, 0) if second => 256.0 - wave(at),
            (0, 1) => 100.0 + if second { 10.0 } else { 0.0 },
            _ if second => wave(at) * 0.5 + 20.0,
            _ => wave(at),
        };
        let [a, b] = [false, true]
            .map(|second| -> Vec<f32> { (0..SIDE * SIDE).map(|at| level(at, second)).collect() });
        let inside: Vec<f32> = (0..SIDE * SIDE)
            .map(|at| f32::from(u8::from(at / SIDE >= 8 || !(19..24).contains(&(at % SIDE)))))
            .collect();
        let grid = Grid::of([&a, &b], &inside, SIDE);
        let found = Blocks::of(&grid);
        let near = |a: f32, b: f32| (a - b).abs() < 0.02;
        assert!(
            near(found.disagreeing, 1.0 / 14.0) && near(found.agreeing, 13.0 / 14.0),
            "{found:?}"
        );
        assert!(near(found.clear, 14.0 / 15.0) && near(found.apart, 10.0), "{found:?}");
        // What is put down to chance takes a little off where there is half the contrast.
        assert!(found.quarter > 0.94 && found.quarter <= found.median, "{found:?}");
        assert!(near(found.mean, found.median * 12.0 / 14.0), "{found:?}");
        let is_other: Vec<bool> = grid.blocks.iter().map(|block| block.is_other()).collect();
        assert!(is_other[0] && is_other[1] && !is_other[2..].contains(&true), "{grid:?}");
        assert!(grid.blocks[2] == Block::Off && grid.blocks[2..].iter().all(|block| block.fits()));
        // A wave upside down is another level but for where it crosses.
        assert!(grid.repainted[0] > 0.6 && grid.repainted[1] == 0.0, "{:?}", grid.repainted);
        let nothing = Blocks::of(&Grid::of_details([&[0.0; 64], &[0.5; 64]], &[1.0; 64], 8));
        assert_eq!((nothing.clear, nothing.agreeing, nothing.apart), (0.0, 0.0, 0.5));
    }
}
