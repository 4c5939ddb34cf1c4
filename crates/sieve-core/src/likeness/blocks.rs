//! How small blocks of two images fit, each on its own.

use crate::numeric::simd::LANES;

/// Samples along each side of a block.
const BLOCK: usize = LANES;
/// A block of which less than this lies on both images does not count.
const LEAST_INSIDE: f32 = 0.75;
/// Correlations from which a block fits, and below which it does not.
const AGREEING: f32 = 0.8;
const DISAGREEING: f32 = 0.4;
/// Levels that plain blocks are apart at most: one that is another colour need not outweigh all others.
const MOST_APART: f32 = 40.0;
/// How many of the blocks that fit least are looked at together.
const WORST: usize = 3;
/// The side of the patch that is taken out to see whether the rest fits, as a share of the image's.
const PATCH: f32 = 0.36;
/// Variance that is put down to chance, in square levels.
const CHANCE: f32 = 4.0;

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
    /// It does not lie on both images.
    Off,
    /// There is something to see in one of both: their correlation, -1 to 1.
    Clear(f32),
    /// Both are plain: how far their means are apart, in levels.
    Plain(f32),
}

/// The blocks of two images, row by row.
#[derive(Clone, Debug, PartialEq)]
pub struct Grid {
    /// Blocks along each side.
    pub side: usize,
    /// One for each.
    pub blocks: Vec<Block>,
    /// What each adds up to.
    sums: Vec<Sums>,
}

/// Sums over samples of two images, each weighted: of 1, of both, of their squares, and of their product.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
struct Sums {
    weight: f32,
    x: f32,
    y: f32,
    xx: f32,
    yy: f32,
    xy: f32,
}

impl Sums {
    fn plus(self, other: Sums) -> Self {
        Sums {
            weight: self.weight + other.weight,
            x: self.x + other.x,
            y: self.y + other.y,
            xx: self.xx + other.xx,
            yy: self.yy + other.yy,
            xy: self.xy + other.xy,
        }
    }

    /// The variances of both and what they have in common, none below 0 but the last.
    fn spread(self) -> [f32; 3] {
        let weight = self.weight.max(1.0);
        let within = |sum: f32, a: f32, b: f32| (sum - a * b / weight) / weight;
        let variances = [within(self.xx, self.x, self.x), within(self.yy, self.y, self.y)];
        let [xx, yy] = variances.map(|variance| variance.max(0.0));
        [xx, yy, within(self.xy, self.x, self.y)]
    }
}

/// What is left of two images once the patch is taken out that has most of what both share.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Rest {
    /// The correlation of the rest, -1 to 1.
    pub correlation: f32,
    /// Its standard deviation in the image that has less, in levels.
    pub contrast: f32,
}

impl Grid {
    /// Of `side` x `side` samples of two images, `side` a multiple of eight; `inside` is 1 where a sample lies
    /// on both.
    #[inline(always)]
    pub fn new(images: [&[f32]; 2], inside: &[f32], side: usize) -> Self {
        Grid::on(Terms { worth: 16.0, chance: 4.0, around: 128.0 }, images, inside, side)
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
        let mut all = Vec::with_capacity(count * count);
        for at in 0..count * count {
            let (top, left) = (at / count * BLOCK, at % count * BLOCK);
            let mut sums = [[0.0f32; BLOCK]; 6];
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
                }
            }
            let [weight, x, y, xx, yy, xy] = sums.map(|lanes| lanes.iter().sum::<f32>());
            let sums = Sums { weight, x, y, xx, yy, xy };
            all.push(sums);
            if weight < LEAST_INSIDE * (BLOCK * BLOCK) as f32 {
                blocks.push(Block::Off);
                continue;
            }
            let [xx, yy, xy] = sums.spread();
            blocks.push(if xx.max(yy) > terms.worth {
                Block::Clear(xy / ((xx + terms.chance) * (yy + terms.chance)).sqrt())
            } else {
                Block::Plain(((x - y) / weight).abs())
            });
        }
        Grid { side: count, blocks, sums: all }
    }
}

impl Grid {
    /// The standard deviation of both images together, in levels.
    pub fn contrast(&self) -> f32 {
        let [xx, yy, _] =
            self.sums.iter().fold(Sums::default(), |all, sums| all.plus(*sums)).spread();
        ((xx + yy) / 2.0).sqrt()
    }

    /// What is left without the patch that has most of what both share: one mark on many images is no image.
    pub fn rest(&self) -> Rest {
        let all = self.sums.iter().fold(Sums::default(), |all, sums| all.plus(*sums));
        let (x, y) = (all.x / all.weight.max(1.0), all.y / all.weight.max(1.0));
        let shared = |sums: &Sums| sums.xy - x * sums.y - y * sums.x + x * y * sums.weight;
        let window = ((PATCH * self.side as f32).ceil() as usize).min(self.side);
        let within = |&(top, left): &(usize, usize)| -> f32 {
            let rows =
                (top..top + window).map(|row| &self.sums[row * self.side + left..][..window]);
            rows.flatten().map(shared).sum()
        };
        let places = 0..=self.side - window;
        let corners = places.clone().flat_map(|top| places.clone().map(move |left| (top, left)));
        let most = corners.max_by(|a, b| within(a).total_cmp(&within(b)));
        let (top, left) = most.unwrap_or_default();
        let is_out = |at: usize| {
            (top..top + window).contains(&(at / self.side))
                && (left..left + window).contains(&(at % self.side))
        };
        let rest = self.sums.iter().enumerate().filter(|(at, _)| !is_out(*at));
        let [xx, yy, xy] = rest.fold(Sums::default(), |all, (_, sums)| all.plus(*sums)).spread();
        Rest {
            correlation: xy / ((xx + CHANCE) * (yy + CHANCE)).sqrt(),
            contrast: xx.min(yy).sqrt(),
        }
    }
}

/// How the blocks of two images fit.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Blocks {
    /// The mean of the correlations of the blocks in which there is something to see, -1 to 1.
    pub mean: f32,
    /// The correlation below which half of these lie.
    pub median: f32,
    /// That below which a quarter of these lie.
    pub quarter: f32,
    /// The mean of the three least of these.
    pub least: f32,
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
    pub fn new(grid: &Grid) -> Self {
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
        let worst = &found[..found.len().min(WORST)];
        let share = |count: usize| count as f32 / clear.max(1.0);
        let at = |place: usize| found.get(place).copied().unwrap_or(0.0);
        Blocks {
            mean: found.iter().sum::<f32>() / clear.max(1.0),
            median: at(found.len() / 2),
            quarter: at(found.len() / 4),
            least: worst.iter().sum::<f32>() / worst.len().max(1) as f32,
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
        let grid = Grid::new([&a, &b], &inside, SIDE);
        let found = Blocks::new(&grid);
        let near = |a: f32, b: f32| (a - b).abs() < 0.02;
        assert!(
            near(found.disagreeing, 1.0 / 14.0) && near(found.agreeing, 13.0 / 14.0),
            "{found:?}"
        );
        assert!(near(found.clear, 14.0 / 15.0) && near(found.apart, 10.0), "{found:?}");
        // What is put down to chance takes a little off where there is half the contrast.
        assert!(found.quarter > 0.94 && found.quarter <= found.median, "{found:?}");
        assert!(near(found.mean, found.median * 12.0 / 14.0), "{found:?}");
        assert!(near(found.least, (2.0 * found.quarter - found.median) / 3.0), "{found:?}");
        assert!(grid.blocks[2] == Block::Off, "{grid:?}");
        let nothing = Blocks::new(&Grid::of_details([&[0.0; 64], &[0.5; 64]], &[1.0; 64], 8));
        assert_eq!((nothing.clear, nothing.agreeing, nothing.apart), (0.0, 0.0, 0.5));
    }
}
