//! How an original lies on its copy: turned by quarters or mirrored, whole, or moved by whole pixels.

use super::coarse::Coarse;
use super::samples::edges;
use super::turn::Turn;
use crate::affine::Affine;
use crate::reading::Pixels;

/// The share by which a side may be off for an image to lie whole on another one; a crop that small is looked for as well.
const WHOLE: f64 = 0.04;
/// How far from parallel sides may be.
const SQUARE: f64 = 0.04;
/// How far a size may be off for pixels to have kept theirs: what aligning two thumbnails errs by.
const KEPT: f64 = 0.04;
/// How far a place is looked for around where thumbnails say it is: a share of the copy's side, and pixels.
const AROUND: (f64, f64) = (0.025, 2.0);
/// Places by which one position is told from another.
const PLACES: usize = 128;

/// What was done to an original beside its light.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Geometry {
    turn: Turn,
    /// Whether all of the original is all of the copy.
    pub is_whole: bool,
    /// Whether a pixel of the original may be one of the copy: cut out, or with a border.
    pub keeps_pixels: bool,
    /// About where the first pixel of the turned original lies on the copy then, in columns and rows.
    corner: [f64; 2],
}

impl Geometry {
    /// What `map` says, which brings the original, of `from` columns and rows, to the copy of `to`. None where it is tilted or
    /// skewed.
    pub fn new(map: &Affine, from: [u32; 2], to: [u32; 2]) -> Option<Self> {
        let [a, b, c, d, e, f] = map.0;
        let transpose = b.abs() + d.abs() > a.abs() + e.abs();
        let ([along_x, along_y], across) =
            if transpose { ([b, d], [a, e]) } else { ([a, e], [b, d]) };
        let least = along_x.abs().min(along_y.abs());
        if least < 1e-3 || across.iter().any(|other| other.abs() > SQUARE * least) {
            return None;
        }
        let turn = Turn { transpose, flip_x: along_x < 0.0, flip_y: along_y < 0.0 };
        let from = if transpose { [from[1], from[0]] } else { from };
        let (from, to) = (from.map(f64::from), to.map(f64::from));
        let (scales, shifts) = ([along_x.abs(), along_y.abs()], [c, f]);
        let is_about = |value: f64, wanted: f64, off: f64| (value - wanted).abs() <= off * wanted;
        let is_whole =
            (0..2).all(|axis| is_about(scales[axis], 1.0, WHOLE) && shifts[axis].abs() <= WHOLE);
        let keeps_pixels = (0..2).all(|axis| is_about(scales[axis] * to[axis], from[axis], KEPT));
        let corner = std::array::from_fn(|axis| (shifts[axis] + 0.5) * to[axis] - from[axis] / 2.0);
        Some(Geometry { turn, is_whole, keeps_pixels, corner })
    }

    /// The turns that are worth trying: that of the map, and since what looks the same in several positions may have been
    /// found in any of them, the one that fits best, or where only a part is there, none.
    pub fn turns(&self, original: &Coarse, copy: &Coarse) -> Vec<Turn> {
        let mut turns = vec![self.turn];
        let other = if self.is_whole { original.best_turn(copy) } else { Turn::default() };
        if other != self.turn && (self.is_whole || other.transpose == self.turn.transpose) {
            turns.push(other);
        }
        turns
    }

    /// `turned` cut out or framed as `copy` shows it, at the place where it fits best. None where both hardly meet, or there
    /// is nothing to tell one place from another.
    pub fn placed(&self, turned: &Pixels, copy: &Pixels) -> Option<Pixels> {
        let [x, y] = self.place(turned, copy)?;
        let (columns, rows) = (copy.width_px as i64, copy.height_px as i64);
        let (width, height) = (turned.width_px as i64, turned.height_px as i64);
        let border = border(copy, [x, y], [width, height]);
        let mut data = Vec::with_capacity(copy.data.len());
        for row in 0..rows {
            for column in 0..columns {
                let (u, v) = (column - x, row - y);
                if (0..width).contains(&u) && (0..height).contains(&v) {
                    data.extend_from_slice(&turned.data[((v * width + u) * 3) as usize..][..3]);
                } else {
                    data.extend_from_slice(&border);
                }
            }
        }
        Some(Pixels { width_px: copy.width_px, height_px: copy.height_px, data })
    }

    /// Where the first pixel of `turned` lies on `copy`: the whole pixel around which the places that tell most differ
    /// least, whatever the light.
    fn place(&self, turned: &Pixels, copy: &Pixels) -> Option<[i64; 2]> {
        let (columns, rows) = (copy.width_px as i64, copy.height_px as i64);
        let (width, height) = (turned.width_px as i64, turned.height_px as i64);
        let around = |side: i64| (side as f64 * AROUND.0 + AROUND.1).ceil() as i64;
        let (reach_x, reach_y) = (around(columns), around(rows));
        let [near_x, near_y] = self.corner.map(|value| value.round() as i64);
        // Places on the original, not on what was put around it.
        let is_inside = |&(column, row): &(i64, i64)| {
            column < columns
                && row < rows
                && (0..width).contains(&(column - near_x))
                && (0..height).contains(&(row - near_y))
        };
        let all = edges(copy).map(|at| (at as i64 % columns, at as i64 / columns));
        let all: Vec<(i64, i64)> = all.filter(is_inside).collect();
        let step = all.len().div_ceil(PLACES).max(1);
        // Both sides of an edge: those of one side alone may lie on one colour anywhere, in another light.
        let sides = |(column, row)| [(column, row), (column + 1, row + 1)];
        let places: Vec<(i64, i64)> = all.into_iter().step_by(step).flat_map(sides).collect();
        let places: Vec<(i64, i64)> = places.into_iter().filter(is_inside).collect();
        let mut best: Option<(f64, [i64; 2])> = None;
        for y in near_y - reach_y..=near_y + reach_y {
            for x in near_x - reach_x..=near_x + reach_x {
                let [mut count, mut sum, mut squares] = [0.0f64; 3];
                for &(column, row) in &places {
                    let (u, v) = (column - x, row - y);
                    if (0..width).contains(&u) && (0..height).contains(&v) {
                        let here = &copy.data[((row * columns + column) * 3) as usize..][..3];
                        let there = &turned.data[((v * width + u) * 3) as usize..][..3];
                        for (a, b) in here.iter().zip(there) {
                            let apart = f64::from(i16::from(*a) - i16::from(*b));
                            count += 1.0;
                            sum += apart;
                            squares += apart * apart;
                        }
                    }
                }
                // Most of what is compared must lie on both.
                if count * 2.0 < places.len() as f64 * 3.0 {
                    continue;
                }
                let apart = (squares - sum * sum / count) / count;
                if best.is_none_or(|(least, _)| apart < least) {
                    best = Some((apart, [x, y]));
                }
            }
        }
        best.map(|(_, place)| place)
    }
}

/// Levels that a coarse encoder may have made of black or white in a narrow border.
const EXTREME: u8 = 12;

/// The colour of `copy` around a part of it: for each channel the middle of all values there, and black or white where it
/// is about that. A saved border of another colour may be off by a level, and then proves nothing.
fn border(copy: &Pixels, [x, y]: [i64; 2], [width, height]: [i64; 2]) -> [u8; 3] {
    let columns = copy.width_px as i64;
    let mut counts = [[0u32; 256]; 3];
    for (at, pixel) in copy.data.chunks_exact(3).enumerate() {
        let (column, row) = (at as i64 % columns, at as i64 / columns);
        if !(x..x + width).contains(&column) || !(y..y + height).contains(&row) {
            (0..3).for_each(|channel| counts[channel][usize::from(pixel[channel])] += 1);
        }
    }
    counts.map(|counts| {
        let all: u32 = counts.iter().sum();
        let mut below = 0;
        let middle = counts.iter().position(|&count| {
            below += count;
            below * 2 >= all
        });
        match middle.unwrap_or(0) as u8 {
            level if level <= EXTREME => 0,
            level if level >= 255 - EXTREME => 255,
            level => level,
        }
    })
}
