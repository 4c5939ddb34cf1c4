//! An image at a glance: what rules out most pairs before any of their pixels is predicted.

use super::turn::Turn;
use crate::reading::Pixels;

/// Cells along each side.
const CELLS: usize = 16;
/// Levels by which the mean of a cell of a copy may be off: an encoder changes the mean of a block by half a step over eight at
/// most, which is less than this for all but the coarsest tables, and kernels let little of a neighbour in.
const OFF: f32 = 10.0;
/// The same where its light was changed: what is clipped bends the line.
const OFF_IN_OTHER_LIGHT: f32 = 40.0;

/// How far the gain between cells and the mean of all may be off in one light.
const SAME_GAIN: f32 = 0.01;
const SAME_LEVEL: f32 = 1.0;

/// Whether a copy shows its original as bright as it was.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Light {
    /// As far as cells show.
    Same,
    /// Brighter, darker, or of another contrast.
    Other,
}

/// The means of cells of an image, of all channels together, row-major, 0 to 255.
pub struct Coarse(Vec<f32>);

impl Coarse {
    /// Of all pixels, each counted by the share of it that lies in a cell.
    pub fn new(pixels: &Pixels) -> Self {
        let (columns, rows) = (pixels.width_px as usize, pixels.height_px as usize);
        let (across, down) = (shares(columns), shares(rows));
        let mut cells = vec![0.0f32; CELLS * CELLS];
        let mut line = [0.0f32; CELLS];
        for (row, data) in pixels.data.chunks_exact(columns * 3).enumerate() {
            line.fill(0.0);
            for (pixel, share) in data.chunks_exact(3).zip(&across) {
                let sum: u16 = pixel.iter().map(|&level| u16::from(level)).sum();
                share.add(f32::from(sum), &mut line);
            }
            for (at, value) in line.iter().enumerate() {
                let share = &down[row];
                cells[share.cell * CELLS + at] += value * share.here;
                if share.next > 0.0 {
                    cells[(share.cell + 1) * CELLS + at] += value * share.next;
                }
            }
        }
        // Three channels, and each cell has as many pixels.
        let size = columns as f32 * rows as f32 / (CELLS * CELLS) as f32 * 3.0;
        cells.iter_mut().for_each(|cell| *cell /= size);
        Coarse(cells)
    }

    /// The turn after which this is nearest to `copy`, whatever the light.
    pub fn best_turn(&self, copy: &Coarse) -> Turn {
        let apart = |turn: Turn| self.turned(turn).apart(copy);
        let ranked = Turn::all().map(|turn| (apart(turn), turn));
        ranked.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, turn)| turn).unwrap_or_default()
    }

    /// In which light `copy` may be this, turned; none where it is something else.
    pub fn light(&self, turn: Turn, copy: &Coarse) -> Option<Light> {
        let turned = self.turned(turn);
        let most = |gain: f32, offset: f32| {
            let apart = turned.0.iter().zip(&copy.0);
            apart.map(|(a, b)| (gain * a + offset - b).abs()).fold(0.0, f32::max)
        };
        let (mean, other) = (turned.mean(), copy.mean());
        let centred = || turned.0.iter().zip(&copy.0).map(|(a, b)| (a - mean, b - other));
        let gain = centred().map(|(a, b)| a * b).sum::<f32>()
            / centred().map(|(a, _)| a * a).sum::<f32>().max(1.0);
        let offset = other - gain * mean;
        let is_same = (gain - 1.0).abs() <= SAME_GAIN && (mean - other).abs() <= SAME_LEVEL;
        if is_same && most(1.0, 0.0) <= OFF {
            Some(Light::Same)
        } else {
            (most(gain, offset) <= OFF_IN_OTHER_LIGHT).then_some(Light::Other)
        }
    }

    fn turned(&self, turn: Turn) -> Self {
        let cell = |at: usize| {
            let [x, y] = turn.source([at % CELLS, at / CELLS], [CELLS; 2]);
            self.0[y * CELLS + x]
        };
        Coarse((0..CELLS * CELLS).map(cell).collect())
    }

    fn mean(&self) -> f32 {
        self.0.iter().sum::<f32>() / self.0.len() as f32
    }

    /// The sum of squares by which two are apart, beside the difference of their means.
    fn apart(&self, other: &Coarse) -> f32 {
        let mean = self.mean() - other.mean();
        self.0.iter().zip(&other.0).map(|(a, b)| (a - b - mean).powi(2)).sum()
    }
}

/// Where a pixel lies along one side: its cell, and the share of it there and in the next one.
struct Share {
    cell: usize,
    here: f32,
    next: f32,
}

impl Share {
    fn add(&self, value: f32, cells: &mut [f32; CELLS]) {
        cells[self.cell] += value * self.here;
        if self.next > 0.0 {
            cells[self.cell + 1] += value * self.next;
        }
    }
}

/// Of each of `side` pixels. A side shorter than the number of cells fills the cells where its pixels begin.
fn shares(side: usize) -> Vec<Share> {
    let share = |at: usize| {
        let (from, to) = (at * CELLS, (at + 1) * CELLS);
        let cell = from / side;
        let end = (cell + 1) * side;
        let next = to.saturating_sub(end) as f32 / CELLS as f32;
        let next = if cell + 1 < CELLS { next.min(1.0) } else { 0.0 };
        Share { cell, here: 1.0 - next, next }
    };
    (0..side).map(share).collect()
}
